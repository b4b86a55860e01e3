/**
 * Does a name match a pattern in which `*` stands for any run of characters and `?` for exactly one? Letter case is
 * ignored, because the two OS families disagree about it. The greedy walk goes back only to the last `*`, so it takes at
 * most pattern length × name length steps: no pattern can run away.
 *
 * @example matchesPattern('*updater*', 'Acme Updater Service') // true
 */
export function matchesPattern(pattern: string, name: string): boolean {
  if (pattern === '*') return true
  const p = pattern.toLowerCase()
  const n = name.toLowerCase()
  let pi = 0
  let ni = 0
  let star = -1
  let resume = 0
  while (ni < n.length) {
    if (pi < p.length && p[pi] === '*') {
      star = pi++
      resume = ni
    } else if (pi < p.length && (p[pi] === '?' || p[pi] === n[ni])) {
      pi++
      ni++
    } else if (star >= 0) {
      pi = star + 1
      ni = ++resume
    } else {
      return false
    }
  }
  while (p[pi] === '*') pi++
  return pi === p.length
}

export function matchesAny(patterns: readonly string[], name: string): boolean {
  return patterns.some((pattern) => matchesPattern(pattern, name))
}

/** In when one of `include` matches and none of `except` does. */
export function chosen(include: readonly string[], except: readonly string[], name: string): boolean {
  return matchesAny(include, name) && !matchesAny(except, name)
}
