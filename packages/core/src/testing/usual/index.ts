export { madeSeries, zoneOfMade, type MadeSeries } from './made'
export { demandSeries, faults, hoursOfSeries, judged, outcomeOf, planted, type Outcome } from './trial'
