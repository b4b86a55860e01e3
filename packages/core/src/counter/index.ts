export {
  counterSeries,
  counterTroubles,
  counterTroubleText,
  isSeriesOf,
  programOfSeries,
  type CounterAsk,
  type CountersTold,
  type CounterTrouble,
} from './ask'
export {
  counterFault,
  counterMetric,
  counterUnits,
  counterValue,
  readCounter,
  type Counter,
  type CounterMetric,
  type CounterUnit,
} from './counter'
export { FindTroubleError, Given, type Found } from './found'
export { placeFault, ownPrograms, readCounterPlace, sayingFault, type CounterPlace, type OwnProgram } from './place'
export { nextRise, type Risen } from './rate'
export { shippedProgram, shippedPrograms, type ShippedProgram } from './shipped'
