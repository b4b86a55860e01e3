export { matchesLogFilter, type LogEvent, type LogFilter } from './event'
export { levelOfPriority, levelOfWindowsEvent, logLevelCode, logLevels, type LogLevel } from './levels'
export { patternOf, withoutNumbers } from './repeats'
