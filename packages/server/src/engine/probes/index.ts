export { workOutDuties } from './duties'
export { judgeLooks, quietProbe } from './judging'
export { takeLooks } from './taking'
