export { compareRosters, resolveRoster, type ChainLink, type EffectiveWatch, type Policy, type Source, type WatchChange } from './roster'
export { templateFaults, valueFaults, type Assignment, type Exception, type Fault, type Template, type WatchSpec } from './template'
export { starterTemplates, type StarterTemplate } from './starter'
