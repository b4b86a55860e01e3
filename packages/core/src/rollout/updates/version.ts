import compare from 'semver/functions/compare.js'
import valid from 'semver/functions/valid.js'

/** Orders versions as semver.org, rule 11, does. What is no version comes first. */
export function byVersion(a: string, b: string): number {
  const areVersions = [a, b].map((text) => valid(text) !== null)
  if (areVersions[0] && areVersions[1]) return compare(a, b)
  return Number(areVersions[0]) - Number(areVersions[1]) || (a < b ? -1 : Number(a > b))
}
