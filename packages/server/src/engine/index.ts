export { readFacts } from './context'
export { Engine, readDeviceKey, settingsOf, type CollectorDigests } from './ingest'
export { outdate, reconsider, reconsiderAll } from './reconsider'
export { startTimers } from './timers'
