export { coverOf, covers, isCalledOff, isOpen, isOver, windowEnd, type CoveredPost, type MaintenanceWindow, type WindowSubject } from './cover'
