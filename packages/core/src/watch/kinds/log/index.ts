export { logAbsence } from './absence'
export { logMatch } from './match'
export { logPair } from './pair'
