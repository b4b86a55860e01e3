export { daysOfShift, hoursToLearn, learnUsual, type HourOfUsual, type LeftOut } from './learn'
export {
  cellAt,
  daysOfUsual,
  daysToGo,
  expectedOver,
  fewestDaysOfUsual,
  leastDistance,
  nothingUsual,
  usualKey,
  type Expected,
  type Usual,
} from './usual'
