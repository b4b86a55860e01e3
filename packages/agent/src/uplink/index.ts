export { call, fetchTo, Refused, textOf } from './call'
export { needSafe, readCa, wayTo, type Way } from './way'
