export {
  compareRosters,
  levelConflicts,
  rosterChanges,
  type LevelConflict,
  type RosterChange,
  type WatchChange,
} from './change'
export { resolveRoster, compilePolicy, type CompiledPolicy } from './compile'
export { fromDocument, toDocument, type DocumentFault, type FromDocument, type Path, type References } from './document'
export { keepingOf } from './keeping'
export {
  countersWatched,
  filesWatched,
  hurryOf,
  logsWatched,
  paceOf,
  processesWatched,
  readingsPerDay,
  type Pace,
} from './pace'
export { rebaseTemplate, type Rebased } from './rebase'
export type { ChainLink, EffectiveWatch, Policy, Roster, Source } from './roster'
export { fromLibrary, libraryTemplates } from './library'
export type { LibraryTemplate, LibraryWatch } from './libraryTemplate'
export { knownTargetFaults, stepFaults, withSteps, type KnownEstate, type PolicyStep } from './steps'
export {
  levelFaults,
  templateFaults,
  valueFaults,
  withDefaults,
  withIncluded,
  type Assignment,
  type AssignmentBody,
  type Exception,
  type ExceptionBody,
  type Fault,
  type Template,
  type TemplateBody,
  type WatchSpec,
} from './template'
export { exceptionUses, keepForPresent, pullUp, type ExceptionDoubt, type ExceptionUse } from './exceptionReview'
export { templateChanges, templatesBeside, valuesText, type WatchPair } from './describe'
