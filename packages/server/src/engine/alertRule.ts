import type { AlertRule } from '#contract'
import { watchKind, type EffectiveWatch, type Facts } from '#core'

/** What is kept of a watch with its alert: its rule as it was, in words, and where that came from. */
export function ruleOf(watch: EffectiveWatch, instance: string, facts: Facts): AlertRule {
  const winners = Object.values(watch.chains)
    .map((chain) => chain[0]!.source)
    .filter((source) => source.from === 'assignment' || source.from === 'exception')
  const sources = [...watch.broughtBy, ...winners].filter(
    (source, i, all) =>
      all.findIndex((candidate) => candidate.from === source.from && candidate.id === source.id) === i,
  )
  const kind = watchKind(watch.kind)
  const lines = kind.lines?.(watch.values, facts, instance)
  return {
    name: watch.name,
    kind: watch.kind,
    sentence: kind.sentence(watch.values),
    sources,
    ...(lines?.length ? { lines } : {}),
  }
}
