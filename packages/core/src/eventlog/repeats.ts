/**
 * A text without what is another each time, so that entries that say the same are counted as one: `#` for each run of
 * digits, and for a run of letters and digits that changes between the two at least twice (numbers of a queue, hashes).
 * @example withoutNumbers('4XyZ1Q2: sent to 192.0.2.7 by eth0') // '#: sent to #.#.#.# by eth#'
 */
export function withoutNumbers(text: string): string {
  return text.replace(/[0-9]+/g, '#').replace(/[A-Za-z#]+/g, (word) => (word.split('#').length > 2 ? '#' : word))
}

/**
 * The pattern that finds an entry again whatever its numbers are: what is another each time is a `*`.
 * @example patternOf('Accepted for jo from 192.0.2.7 port 50022') // 'Accepted for jo from *.*.*.* port *'
 */
export function patternOf(text: string): string {
  return withoutNumbers(text.replace(/[*?]/g, '?')).replaceAll('#', '*')
}
