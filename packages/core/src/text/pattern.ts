/**
 * Does a name match a pattern in which `*` stands for any run of characters and `?` for exactly one? Letter case is
 * ignored, because the two OS families disagree about it. The greedy walk goes back only to the last `*`, so it takes
 * at most pattern length × name length steps: no pattern can run away.
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

/** Whether patterns leave a name out. What one of them takes back, with a ! before it, is not left out. */
function isLeftOut(except: readonly string[], name: string): boolean {
  let isOut = false
  for (const pattern of except)
    if (!pattern.startsWith('!')) isOut ||= matchesPattern(pattern, name)
    else if (matchesPattern(pattern.slice(1), name)) return false
  return isOut
}

/** In when one of `include` matches and `except` does not leave it out. */
export function chosen(include: readonly string[], except: readonly string[], name: string): boolean {
  return matchesAny(include, name) && !isLeftOut(except, name)
}

/**
 * Patterns that several say, each adding its own, as one list. Of a pattern and its opposite what is said first counts.
 * @example joinedPatterns([['!cups'], ['cups', 'cups-browsed']]) // ['!cups', 'cups-browsed']
 */
export function joinedPatterns(lists: readonly (readonly string[])[]): string[] {
  const joined = new Set<string>()
  for (const pattern of lists.flat()) {
    const opposite = pattern.startsWith('!') ? pattern.slice(1) : `!${pattern}`
    if (!joined.has(opposite)) joined.add(pattern)
  }
  return [...joined]
}

/**
 * What is wrong with a pattern, as a sentence, or null. No pattern can run away (see above), so there is little that
 * can be: what is written in another notation than `*` and `?`, and would silently match nothing.
 */
export function patternFault(pattern: string): string | null {
  if (pattern.replace(/^!/, '').trim() === '')
    return 'A pattern has at least one character; * alone stands for every name.'
  if (pattern.length > 200) return `A pattern has at most 200 characters; this has ${pattern.length}.`
  if (/^\^.*\$$|\(\?|\\[dws][+*]|^\/.*[\\^$+|()[\]{}].*\/[a-z]?$/.test(pattern))
    return `“${pattern}” is written as a regular expression. Those can run on without end for an unlucky name, so here * stands for any run of characters, ? for one, and every other sign for itself.`
  return null
}
