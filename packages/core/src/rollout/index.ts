export { collectingFor, type Collecting, type CollectRule } from './collecting'
export {
  coverageGaps,
  remedyFor,
  roleNeed,
  roleNeeds,
  withRemedy,
  type CoverageGap,
  type Remedy,
  type RoleNeed,
} from './coverage'
export { detectionRules, suggestRoles, type DetectionRule, type RoleSuggestion, type Sign } from './detect'
export {
  concerns,
  standingEffects,
  type NewcomerCondition,
  type Newcomer,
  type StandingRule,
  type StandingEffects,
} from './standing'
export {
  hostsOf,
  largestSweep,
  seemsToBe,
  sweepFault,
  sweptPorts,
  type Answering,
  type Seems,
  type SignedIn,
} from './sweep'
export { fingerprintText, hostKeyState, hostKeyStates, type HostKeyState } from './hostKey'
export { byVersion } from './version'
export {
  cutIntoWaves,
  failureKinds,
  failureOfStatus,
  hourAllowed,
  installStatus,
  nextTurn,
  type FailureKind,
  type MachineState,
  type WaveMachine,
  type WaveRules,
  type WaveTurn,
} from './wave'
