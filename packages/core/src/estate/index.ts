export * from './facts'
export {
  contains,
  inNetwork,
  placeByAddress,
  readNetwork,
  type DeclaredNetworks,
  type Network,
  type Placement,
} from './network'
export {
  conditionsOf,
  factsAsked,
  isGroup,
  matcher,
  maxTargetDepth,
  maxTargetParts,
  mostSpecific,
  specificity,
  targetFacts,
  targets,
  type Condition,
  type ConditionClass,
  type DeviceTraits,
  type Group,
  type Match,
  type Target,
  type TargetFact,
} from './target'
export { targetFaults, type TargetFault } from './targetFaults'
export { withoutClient } from './withoutClient'
export { noNames, targetSentence, type EstateNames } from './targetSentence'
