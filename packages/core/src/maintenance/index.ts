export { coverOf, covers, isOpen, windowEnd, type CoveredPost, type MaintenanceWindow, type WindowSubject } from './cover'
