export {
  checkName,
  dnsTypes,
  mailProtocols,
  probeName,
  type DnsType,
  type MailProtocol,
  type ProbeAsk,
  type ProbeCheck,
  type ProbePace,
} from './ask'
export {
  boundsOf,
  isAddress,
  isHostName,
  mayReach,
  namedFault,
  plainAddress,
  reachOf,
  type ReachBounds,
} from './bounds'
export {
  inARowText,
  millisText,
  probeFaults,
  probeFaultText,
  probeGoodText,
  probeTroubles,
  probeTroubleText,
  type ProbeFault,
  type ProbeTold,
  type ProbeTrouble,
} from './told'
