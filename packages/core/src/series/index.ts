export {
  changeBetween,
  cliffsDelta,
  fewestHours,
  largeDelta,
  shiftBetween,
  type HourMean,
  type SeriesChange,
} from './change'
export { dayFigure, type DayFigure } from './figure'
export {
  daysOfPace,
  fallingOn,
  farthestOfFalling,
  fewestDays,
  fullIn,
  fullSoon,
  trendOf,
  type DiskDays,
  type Falling,
  type Full,
  type Trend,
} from './filling'
export {
  addHour,
  hoursOf,
  noHours,
  pointsOf,
  pointsOfHours,
  seriesLevels,
  type HourSums,
  type Point,
  type SeriesLevel,
} from './hours'
export {
  isMetric,
  metrics,
  readingFault,
  parseReading,
  readingText,
  rounded,
  valueOf,
  type Metric,
  type MetricName,
  type Reading,
  type Unit,
} from './metrics'
export {
  daysOfWeek,
  mergeWeeks,
  packIntegers,
  packSeries,
  packWeek,
  unpackIntegers,
  unpackSeries,
  unpackWeek,
  type Week,
} from './packed'
export {
  atThatTime,
  hoursOfWeek,
  localClock,
  rhythmOf,
  type AtThatTime,
  type Rhythm,
  type RhythmCell,
  type RhythmMoment,
  type StandingOut,
} from './rhythm'
export {
  allTimes,
  firstNotBefore,
  increases,
  joined,
  noSamples,
  samplesBetween,
  spacing,
  timesBeyond,
  timesOfBoth,
  timesShareBeyond,
  union,
  type Samples,
} from './samples'
export { emptySketch, mergeSketch, sketchError, sketchOf, sketchQuantile, type Sketch } from './sketch'
export { slopeOf, type Slope, type Stretch } from './sen'
export { quantile, summarise, summariseHours, type Summary } from './summary'
