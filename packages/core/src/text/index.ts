export { chosen, joinedPatterns, matchesAny, matchesPattern, patternFault } from './pattern'
export {
  ageText,
  bytesText,
  countText,
  durationText,
  lengthBetweenText,
  numberText,
  parseBytes,
  parseDuration,
  percentText,
} from './quantity'
