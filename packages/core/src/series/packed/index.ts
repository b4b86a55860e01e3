export { largestPacked } from './column'
export { packIntegers, packSeries, unpackIntegers, unpackSeries } from './day'
export { daysOfWeek, mergeWeeks, packWeek, unpackWeek, type Week } from './week'
