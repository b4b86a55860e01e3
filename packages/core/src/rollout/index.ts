export { collectingFor, type Collecting, type CollectRule } from './coverage/collecting'
export {
  coverageGaps,
  hiddenNeeds,
  remedyFor,
  roleNeed,
  roleNeeds,
  withRemedy,
  type CoverageGap,
  type Remedy,
  type RoleNeed,
} from './coverage/coverage'
export {
  gapGroupings,
  gapGroups,
  gapKey,
  type DeviceGaps,
  type GapGroup,
  type GapGrouping,
  type SharedGap,
} from './coverage/gapGroups'
export { detectionRules, suggestRoles, type DetectionRule, type RoleSuggestion, type Sign } from './roles/detect'
export {
  concerns,
  standingEffects,
  type NewcomerCondition,
  type Newcomer,
  type StandingRule,
  type StandingEffects,
} from './enrolment/standing'
export {
  hostsOf,
  largestSweep,
  seemsToBe,
  sweepFault,
  sweptPorts,
  type Answering,
  type Seems,
  type SignedIn,
} from './sweeps/sweep'
export { fingerprintText, hostKeyState, hostKeyStates, type HostKeyState } from './sweeps/hostKey'
export { byVersion } from './updates/version'
export {
  cutIntoWaves,
  failureKinds,
  failureOfStatus,
  goesAt,
  installStatus,
  nextTurn,
  type FailureKind,
  type MachineState,
  type WaveMachine,
  type WaveRules,
  type WaveTurn,
} from './waves/wave'
