export {
  isNamed,
  coverOf,
  covers,
  isCalledOff,
  isOpen,
  isOver,
  reaches,
  windowEnd,
  type CoveredPost,
  type MaintenanceWindow,
  type NamedPost,
  type WindowSubject,
} from './cover'
export { freeSpans, merged, type Span } from './free'
export { postsOf } from './posts'
export {
  ordinals,
  ordinalWords,
  readRepeat,
  repeatRule,
  repeatWords,
  weekdays,
  weekdayWords,
  type MonthDay,
  type Ordinal,
  type Repeat,
  type RepeatEnd,
  type Weekday,
} from './repeat'
// Types alone: what works them out brings a calendar with it, and stands under `#core/schedule`.
export type {
  ChangedOccurrence,
  ClockEffect,
  LocalTime,
  Occurrence,
  Recurrence,
  RecurrenceFault,
  Schedule,
} from './schedule'
