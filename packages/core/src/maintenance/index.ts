export {
  coverOf,
  covers,
  isCalledOff,
  isOpen,
  isOver,
  reaches,
  windowEnd,
  type CoveredPost,
  type MaintenanceWindow,
  type WindowSubject,
} from './cover'
