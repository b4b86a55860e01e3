export { readFacts } from './context'
export { Engine, settingsOf } from './ingest'
export { outdate, reconsider, reconsiderAll } from './reconsider'
export { startTimers } from './timers'
