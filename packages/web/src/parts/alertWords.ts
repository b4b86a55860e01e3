import type { AlertRule } from '#contract'
import type { Evidence } from '#core'

export interface AlertWords { strong: string; rest: string }

/** An alert in one short sentence: what, and how it is. */
export function alertWords(one: { instance: string; rule: AlertRule; evidence: Evidence | null }): AlertWords {
  const text = one.evidence?.text ?? ''
  switch (one.rule.kind) {
    case 'service-state': return { strong: one.instance, rest: text.replace(one.instance, '').replace(/^ is/, 'is') }
    case 'disk-space': return { strong: one.instance, rest: `has ${text}` }
    case 'silence': return { strong: 'Silent', rest: text }
    case 'updates': return { strong: text.split(' waiting')[0]!, rest: text.includes(' waiting') ? `waiting${text.split(' waiting')[1]}` : '' }
    default: return { strong: one.rule.name, rest: text }
  }
}
