/** The share of a link that is used, by the direction that carries more; of one that carries one at a time, by both. */
export function loadOf(received: number, sent: number, { speed, isHalf }: { speed: number; isHalf: boolean }): number {
  const bytes = isHalf ? received + sent : Math.max(received, sent)
  return Math.min(1, (bytes * 8) / speed)
}
