export { tryChoice, type Choice } from './choosing'
export { processWatching } from './processWatching'
export { serviceWatching, type ServiceWatching } from './serviceWatching'
export {
  evaluate,
  postKey,
  splitPostKey,
  withoutNamed,
  type BrokenWatch,
  type DeviceState,
  type Evaluated,
  type PostTransition,
} from './evaluate'
export { collectorOfMetric, isPaced, pacedCollectors, type PacedCollector } from './commonParameters'
export { hoursTurn, localTime, looksAt, readHours, withinHours, type Hours } from './hours'
export {
  collectors,
  lookGaps,
  optionalCollectors,
  serviceVerbs,
  subjects,
  type Choosing,
  type Collector,
  type Evidence,
  type Hold,
  type LevelLine,
  type Look,
  type LookPlan,
  type Looks,
  type Observation,
  type Observed,
  type OptionalCollector,
  type Recorded,
  type ServiceAction,
  type Subject,
  type WatchKind,
} from './kind'
export {
  actionOf,
  bitRateText,
  collectorWords,
  counterLines,
  countersAsked,
  isInstalled,
  filesAsked,
  floorOf,
  isLookedAt,
  learningText,
  processAsked,
  sharedFor,
  silentIntervals,
  unusualAsked,
  unusualKindOf,
  usualBand,
  wantsShares,
  watchKind,
  watchKinds,
  type UnusualAsked,
  type UsualBand,
} from './kinds'
export {
  parameterFault,
  rangeText,
  valueText,
  type Parameter,
  type ParameterType,
  type ParameterValue,
  type Values,
} from './parameter'
export {
  advance,
  freshPost,
  isAtRest,
  miss,
  type Judgement,
  type PostState,
  type Transition,
  type TransitionKind,
} from './post'
export { asksDays, usualMetrics } from './days'
export { isReplayable, replay, type Around } from './replay'
export { markOf, stateFor } from './stateOf'
export { triedUnusual, type ToldUnusual } from './tried'
export { sentenceText, type SentencePart } from './sentence'
export type { WatchInForce } from './inForce'
