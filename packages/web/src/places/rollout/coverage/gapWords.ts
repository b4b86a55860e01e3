import type { GapView } from '#contract'

/** What is missing, in words: the name of the thing, and what of it. */
export function gapWords({
  on,
  instance,
  uncollected,
  unwatched,
  trouble,
}: Pick<GapView, 'on' | 'instance' | 'uncollected' | 'unwatched' | 'trouble'>): { name: string; rest: string } {
  const lacks = () => {
    if (trouble) return `${trouble}${unwatched ? ', not watched' : ''}`
    if (uncollected && unwatched) return 'neither collected nor watched'
    return uncollected ? 'not collected' : 'not watched'
  }
  const missing = lacks()
  return {
    name: on === 'log' ? `the log ${instance}` : instance,
    rest: on === 'service' ? `runs, ${missing}` : missing,
  }
}
