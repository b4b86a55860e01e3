export { call, fetchTo, Refused, textOf } from './call'
export { needSafe, readCa, troubleWithTls, wayTo, type Way } from './way'
