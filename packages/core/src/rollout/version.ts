/**
 * Orders versions as semver.org, rule 11, does for numbers and for the presence of a pre-release; two pre-releases of
 * the
 * same version by their text. What is no version comes first.
 */
export function byVersion(a: string, b: string): number {
  const [x, y] = [a, b].map((text) => /^(\d+)\.(\d+)\.(\d+)(?:-([\w.-]+))?$/.exec(text))
  if (!x || !y) return Number(Boolean(x)) - Number(Boolean(y)) || (a < b ? -1 : Number(a > b))
  for (const i of [1, 2, 3]) if (x[i] !== y[i]) return Number(x[i]) - Number(y[i])
  const [p, q] = [x[4], y[4]]
  if (p === q) return 0
  if (p === undefined || q === undefined) return p === undefined ? 1 : -1
  return p < q ? -1 : 1
}
