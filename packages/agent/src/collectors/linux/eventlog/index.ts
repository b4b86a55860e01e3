export { eventlogCollector, logsBelow } from './eventlog'
