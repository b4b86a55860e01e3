export { busiestProcesses, isBusyMoment, processLimits, topProcesses, usedByProcesses } from './top'
export type { BusyProcess, ProcessSample, ProcessUse, TopProcesses } from './top'
