export {
  checkName,
  dnsTypes,
  isHostName,
  mailProtocols,
  probeName,
  type DnsType,
  type MailProtocol,
  type ProbeAsk,
  type ProbeCheck,
  type ProbePace,
} from './ask'
export { boundsOf, isAddress, mayReach, namedFault, plainAddress, reachOf, type ReachBounds } from './bounds'
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
