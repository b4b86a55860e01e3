import type { AlertRule, RemediationView, TryView } from '#contract'
import type { Evidence } from '#core'

export interface AlertWords {
  strong: string
  rest: string
}

/** An alert in one short sentence: what, and how it is. */
export function alertWords(alert: { instance: string; rule: AlertRule; evidence: Evidence | null }): AlertWords {
  const text = alert.evidence?.text ?? ''
  switch (alert.rule.kind) {
    case 'service-state':
      return { strong: alert.instance, rest: serviceRest(alert.instance, text) }
    case 'collector-fails':
      return cutBefore(text, / (?:cannot|are) /)
    case 'identity-shared':
      return cutBefore(text, / reports? /)
    case 'disk-space':
      return { strong: alert.instance, rest: `has ${text}` }
    case 'silence':
      return { strong: 'Silent', rest: text }
    case 'updates':
      return {
        strong: text.split(' waiting')[0]!,
        rest: text.includes(' waiting') ? `waiting${text.split(' waiting')[1]}` : '',
      }
    default:
      return { strong: alert.rule.name, rest: text }
  }
}

/** What is said of a service, without its name. Evidence of before named it by its description. */
function serviceRest(name: string, text: string): string {
  if (text.startsWith(`${name} `)) return text.slice(name.length + 1)
  return text.slice(Math.max(0, text.lastIndexOf(' is ') + 1))
}

/** A sentence cut where its verb begins. */
function cutBefore(text: string, verb: RegExp): AlertWords {
  const at = Math.max(0, text.search(verb))
  return { strong: text.charAt(0).toUpperCase() + text.slice(1, at), rest: text.slice(at + 1) }
}

const past = { start: 'started', stop: 'stopped', restart: 'restarted' } as const
const going = { start: 'is starting', stop: 'is stopping', restart: 'is restarting' } as const

/** One try, in words. */
export function tryWords({ verb, service, state }: TryView): string {
  return state === 'asked'
    ? `its agent ${going[verb]} ${service}`
    : state === 'done'
      ? `its agent ${past[verb]} ${service}`
      : `its agent could not ${verb} ${service}`
}

const after = {
  asked: '',
  done: '; whether that helps shows soon',
  failed: '; it is tried again, or a person is told',
} as const

/** What its agent is at, or was. */
export function remediationWords({ tries, outcome }: Pick<RemediationView, 'tries' | 'outcome'>): string {
  const last = tries.at(-1)
  if (outcome === 'cleared') return last?.state === 'done' ? `put right: ${tryWords(last)}` : 'well by itself'
  if (!last) return outcome === null ? 'its agent is asked next' : 'nothing was tried'
  return `${tryWords(last)}${tries.length > 1 ? `, try ${tries.length}` : ''}${outcome === null ? after[last.state] : ''}`
}
