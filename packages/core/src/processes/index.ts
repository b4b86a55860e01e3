export { busiestProcesses, isBusyMoment, processLimits, topProcesses, usedByProcesses } from './top'
export type { BusyProcess, ProcessSample, ProcessUse, TopProcesses } from './top'
export {
  choiceName,
  isAnyChosen,
  isProcessChosen,
  processParts,
  withoutSecrets,
  type ProcessChoice,
  type ProcessSeen,
  type RunningProgram,
} from './choice'
