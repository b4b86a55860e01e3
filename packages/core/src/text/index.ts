export { chosen, matchesAny, matchesPattern, patternFault } from './pattern'
export { ageText, bytesText, countText, durationText, parseBytes, parseDuration, percentText } from './quantity'
