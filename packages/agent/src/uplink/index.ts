export { call, fetchTo, RefusedError, textOf } from './call'
export { requireSafe, readCa, wayTo, type Way } from './way'
