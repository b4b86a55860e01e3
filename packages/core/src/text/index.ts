export { chosen, matchesAny, matchesPattern } from './pattern'
export { ageText, bytesText, countText, durationText, parseBytes, parseDuration, percentText } from './quantity'
