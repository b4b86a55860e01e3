export { chosen, matchesAny, matchesPattern } from './pattern'
export { ageText, bytesText, durationText, parseBytes, parseDuration, percentText } from './quantity'
