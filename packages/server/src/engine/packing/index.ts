export { packingRound, packReadings } from './pack'
