export { logAbsence } from './absence'
export { floorOf, logKept } from './kept'
export { logMatch } from './match'
export { logPair } from './pair'
