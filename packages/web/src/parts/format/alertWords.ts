import type { AlertEntry, AlertRule, AlertView, AttemptView, RemediationView, TimelineItem } from '#contract'
import {
  countText,
  day,
  hour,
  type CloseReason,
  type Evidence,
  type HeldOutcome,
  type Millis,
  type RemediationOutcome,
} from '#core'
import { clockText, fullText, shortText } from './time'

export interface AlertWords {
  strong: string
  rest: string
}

/** An alert in one short sentence: what, and how it is. */
export function alertWords(alert: { instance: string; rule: AlertRule; evidence: Evidence | null }): AlertWords {
  const { text = '', subject } = alert.evidence ?? {}
  if (subject !== undefined) {
    // The name of a service keeps its letters; a word of ours begins the sentence.
    const strong = subject === alert.instance ? subject : subject.charAt(0).toUpperCase() + subject.slice(1)
    return { strong, rest: text.slice(subject.length + 1) }
  }
  if (alert.rule.kind === 'disk-space') return { strong: alert.instance, rest: `has ${text}` }
  if (alert.rule.kind === 'silence') return { strong: 'Silent', rest: text }
  const { name } = alert.rule
  // A sentence that begins with the name of its rule says it once.
  return { strong: name, rest: text.startsWith(`${name} `) ? text.slice(name.length + 1) : text }
}

const past = { start: 'started', stop: 'stopped', restart: 'restarted' } as const
const going = { start: 'is starting', stop: 'is stopping', restart: 'is restarting' } as const

/** One attempt, in words. */
export function attemptText({ verb, service, state }: AttemptView): string {
  const does = { asked: going[verb], done: past[verb], failed: `could not ${verb}` }
  return `its agent ${does[state]} ${service}`
}

const after = {
  asked: '',
  done: '; whether that helps shows soon',
  failed: '; it is tried again, or a person is told',
} as const

/** What its agent is at, or was. */
export function remediationWords({ attempts, outcome }: Pick<RemediationView, 'attempts' | 'outcome'>): string {
  const last = attempts.at(-1)
  if (outcome === 'cleared') return last?.state === 'done' ? `put right: ${attemptText(last)}` : 'well by itself'
  if (!last) return outcome === null ? 'its agent is asked next' : 'nothing was tried'
  return `${attemptText(last)}${attempts.length > 1 ? `, attempt ${attempts.length}` : ''}${outcome === null ? after[last.state] : ''}`
}

const endings: Record<RemediationOutcome | HeldOutcome, string> = {
  cleared: 'well again',
  raised: 'a person was told',
  held: 'maintenance began',
  'passed-on': 'passed on to another window',
  unwatched: 'not watched any more',
  retired: 'the device was taken out of use',
  merged: 'the device was merged with another',
}
/** What became of what nobody was told of at first. */
export const outcomeText = (outcome: RemediationOutcome | HeldOutcome): string => endings[outcome]

const reasons: Record<CloseReason, string> = {
  cleared: 'cleared by itself',
  'by-hand': 'closed by hand',
  unwatched: 'closed: not watched any more',
  retired: 'closed: the device was taken out of use',
  merged: 'closed: the device was merged with another',
  history: 'was over when history was brought; nobody was told',
}
export const closeText = (reason: CloseReason): string => reasons[reason]

/** What happened to an alert, in words; who did it stands beside it. */
export function entryText({ event, detail }: Pick<AlertEntry, 'event' | 'detail'>): string {
  switch (event) {
    case 'raised-after-maintenance':
      return 'raised at the end of maintenance'
    case 'severity-changed':
      return `${detail.from} → ${detail.to}`
    case 'closed':
      return closeText(detail.reason!)
    case 'given-back':
      return 'given back'
    case 'handed-over':
      return `handed to ${detail.person}`
    case 'declined':
      return 'not accepted'
    case 'hidden':
      return `hidden until ${fullText(detail.until!)}`
    case 'promised':
      return `to be looked at again by ${fullText(detail.until!)}`
    case 'shown':
      return 'shown again'
    case 'reopened':
      return 'opened again'
    case 'well':
      return 'well, but it flips: not closed yet'
    case 'failed-again':
      return 'failed again'
    case 'asked':
      return `asked its agent to ${detail.verb} ${detail.service}`
    case 'asked-again':
      return 'asked its agent to read everything again'
    case 'attempted':
      return detail.succeeded
        ? `its agent ${past[detail.verb!]} ${detail.service}`
        : `its agent could not ${detail.verb} ${detail.service}`
    default:
      return event
  }
}

/** The same of what is over: it *was* so. */
export function pastWords(alert: Parameters<typeof alertWords>[0]): AlertWords {
  const { strong, rest } = alertWords(alert)
  return { strong, rest: rest.replace(/^(\s*)is /, '$1was ').replace(/^(\s*)has /, '$1had ') }
}

/** How an alert came to its end: by itself, or with whose help. */
export function endText(alert: Pick<AlertView, 'closeReason' | 'closedBy' | 'closedWord' | 'helpedBy'>): string {
  const { closeReason, closedBy, closedWord, helpedBy } = alert
  if (closeReason === null) return ''
  if (closeReason === 'by-hand') return `closed by ${closedBy ?? 'hand'}${closedWord ? `: “${closedWord}”` : ''}`
  return closeReason === 'cleared' && helpedBy ? `well after ${helpedBy} had its agent act` : closeText(closeReason)
}

/** How often a post that flips failed of late: within the hour, or within the day where that says more. */
export function flipText({ flips, wellSince }: Pick<AlertView, 'flips' | 'wellSince'>, now: Millis): string {
  if (!flips.length) return ''
  const timesIn = (span: Millis) => flips.filter((at) => at > now - span).length
  const [times, span] = timesIn(hour) > 1 ? [timesIn(hour), 'hour'] : [timesIn(day), 'day']
  const often = times ? `failed ${times === 1 ? 'once' : `${times} times`} in the last ${span}` : 'steady for a day'
  return `flips: ${often}${wellSince === null ? '' : `, well since ${clockText(wellSince)}`}`
}

/** What whoever has it said that they would do, and whether that is due. */
export function followUpText(
  { followUpAt, followUpWord }: Pick<AlertView, 'followUpAt' | 'followUpWord'>,
  now: Millis,
): string {
  if (followUpAt === null) return ''
  return `${followUpAt < now ? 'was to be looked at again by' : 'looked at again by'} ${shortText(followUpAt)}${followUpWord ? `: ${followUpWord}` : ''}`
}

/** What an alert carries, or is carried by. */
export function causeText({ members, carrier }: Pick<AlertView, 'members' | 'carrier'>): string {
  if (carrier?.kind === 'upstream') return `behind ${carrier.name}, which is silent`
  if (carrier) return carrier.kind === 'site' ? 'part of its site’s silence' : 'part of its device’s silence'
  return members ? `carries ${countText(members, 'alert')}` : ''
}

/** What else happened around an alert, in words. */
export function timelineText({ kind, text, deviceName, by }: TimelineItem): string {
  const on = deviceName ? ` on ${deviceName}` : ''
  const planned = by ? `, planned in ${by}` : ''
  switch (kind) {
    case 'log':
      return text
    case 'raised':
      return `${text}${on} began to fail`
    case 'closed':
      return `${text}${on}: its alert was over`
    case 'began':
      return `the window ${text} began`
    case 'ended':
      return `the window ${text} ended`
    case 'changed':
      return `${by || 'the server'} ${text}`
    case 'installed':
      return `no longer waiting as updates: ${text}${planned}`
    case 'restarted':
      return `it was restarted${planned}`
  }
}
