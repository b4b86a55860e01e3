import {
  ageText,
  countText,
  groupsBy,
  sentenceText,
  severities,
  type CalloutStepKind,
  type Millis,
  type QuietReason,
} from '#core'
import { DateTime } from 'luxon'
import type { ToldItem } from './items'
import { subjectKey, type Subject } from './subjects'

/** A mail as it is handed over; the same each time it is. */
export interface Mail {
  subject: string
  text: string
  html: string
  /** Message-IDs of the alerts, so that a reader puts what is about one together. */
  references: string[]
  /** Of an answer that a person wrote: from which address, and to which mails, by their Message-IDs in brackets. */
  answers?: { from: string; inReplyTo: string; references: string[] }
}

const stepWords: Record<CalloutStepKind, string> = {
  tell: 'New',
  worse: 'Worse',
  again: 'Still not taken',
  escalate: 'Nobody took it',
  untouched: 'Yours, and untouched',
  well: 'Well again',
}
const quietWords: Record<QuietReason, string> = {
  window: 'maintenance',
  carried: 'it was part of another alert',
  hidden: 'somebody put it off',
  paused: 'the rule was paused',
}
/** Listed one by one; of more the numbers are told. */
const mostListed = 40

const clock = (at: Millis, zone: string) =>
  DateTime.fromMillis(at, { zone }).setLocale('en-GB').toFormat('ccc d LLL yyyy HH:mm ZZZZ')
const clean = (text: string) => text.replace(/\s+/g, ' ').trim()

const titleOf = ({ asked, ...item }: ToldItem) =>
  clean(
    asked
      ? `${asked.by} asks: ${item.about || 'without a subject'}`
      : `${item.deviceName ?? item.siteName}: ${item.about || item.watchName}`,
  ).slice(0, 160)

/** A request has no severity, and what is over has none any more. */
const severityOf = ({ asked, step, severity }: ToldItem) => (asked || step === 'well' ? '' : severity)
const clientOf = ({ clientName }: ToldItem) => clientName || 'a sender whom nobody knows'

const subjectUrl = ({ of, id }: Subject, origin: string) => `${origin}/${of}s/${id}`

/** The facts of one alert or request, a line each. */
function linesOf(item: ToldItem, origin: string, now: Millis): [label: string, text: string][] {
  const { began, closedAt, zone, after } = item
  const lines: [string, string][] = [
    [
      'Since',
      closedAt !== null && item.step === 'well'
        ? `${clock(began, zone)}, well since ${clock(closedAt, zone)} (after ${ageText(closedAt - began)})`
        : `${clock(began, zone)} (${ageText(now - began)})`,
    ],
  ]
  if (item.asked) lines.push(['Begins', clean(item.asked.text).slice(0, 400)])
  else lines.push(['Rule', sentenceText(item.sentence)])
  if (item.members) lines.push(['Carries', `${countText(item.members, 'other alert')} with the same cause`])
  for (const tried of item.tried) lines.push(['Tried', tried])
  if (item.takenBy) lines.push(['Taken by', item.takenBy])
  for (const { because, from, until } of after)
    lines.push(['Nobody was told', `from ${clock(from, zone)} to ${clock(until!, zone)}: ${quietWords[because]}`])
  lines.push(['Told by', `${item.ruleName}${item.step === 'again' ? `, for the ${ordinal(item.n + 1)} time` : ''}`])
  const url = subjectUrl(item.subject, origin)
  lines.push(item.step === 'well' || item.step === 'untouched' ? ['Open it', url] : ['Take it', `${url}?do=take`])
  return lines
}

const ordinal = (n: number) => {
  const ending = n % 100 > 10 && n % 100 < 14 ? 'th' : (['th', 'st', 'nd', 'rd'][n % 10] ?? 'th')
  return `${n}${ending}`
}

function subjectOf(items: readonly ToldItem[]): string {
  const [first] = items
  if (items.length === 1)
    return clean(
      `${stepWords[first!.step]}${severityOf(first!) && ` (${first!.severity})`}: ${titleOf(first!)} – ${clientOf(first!)}`,
    )
  const counts = severities.toReversed().flatMap((severity) => {
    const many = items.filter((item) => severityOf(item) === severity).length
    return many ? [`${many} ${severity}`] : []
  })
  const well = items.filter(({ step }) => step === 'well').length
  if (well) counts.push(`${well} well again`)
  const asked = items.filter((item) => item.asked).length
  if (asked) counts.push(`${asked} by mail`)
  const clients = new Set(items.map(clientOf))
  const noun = asked === 0 ? 'alert' : asked === items.length ? 'request' : 'matter'
  return `${countText(new Set(items.map(({ subject }) => subjectKey(subject))).size, noun)} at ${clients.size === 1 ? [...clients][0]! : countText(clients.size, 'client')}: ${counts.join(', ')}`
}

export interface MailContext {
  /** How people reach the server. */
  origin: string
  now: Millis
  /** Since when it could not leave, where it is late. */
  lateSince: Millis | null
  /** It gathers more than usual: so many were sent within the hour. */
  throttledAt: number | null
}

/**
 * What several rules say about one alert is said once, by the step that asks the most of whoever reads it, and names
 * all.
 */
const weight: readonly CalloutStepKind[] = ['escalate', 'worse', 'tell', 'again', 'untouched', 'well']
const namesOf = (items: readonly ToldItem[]) => [...new Set(items.map(({ ruleName }) => ruleName))].join('; ')
export function onePerAlert(items: readonly ToldItem[]): ToldItem[] {
  const best = new Map<string, ToldItem>()
  for (const item of items) {
    const other = best.get(subjectKey(item.subject))
    if (!other || weight.indexOf(item.step) < weight.indexOf(other.step)) best.set(subjectKey(item.subject), item)
  }
  return items
    .filter((item) => best.get(subjectKey(item.subject)) === item)
    .map((item) => ({
      ...item,
      ruleName: namesOf(items.filter(({ subject }) => subjectKey(subject) === subjectKey(item.subject))),
    }))
}

/** Puts alerts into a mail, by client and cause, with plain text beside it (RFC 2046, section 5.1.4). */
export function composeMail(all: readonly ToldItem[], { origin, now, lateSince, throttledAt }: MailContext): Mail {
  const items = onePerAlert(all)
  const notes: string[] = []
  if (lateSince !== null)
    notes.push(
      `This is late: mail could not leave since ${clock(lateSince, items[0]?.zone ?? 'UTC')}. It is put together as things are now.`,
    )
  if (throttledAt !== null)
    notes.push(
      `You got ${throttledAt} messages within an hour. What came after them was gathered into this one, so that they can be read.`,
    )
  const text: string[] = [...notes, ...(notes.length ? [''] : [])]
  const html: string[] = notes.map((note) => `<p style="color:#8a5a00">${escaped(note)}</p>`)
  const listed = items.slice(0, mostListed)
  for (const [client, ofClient] of groupsBy(listed, clientOf)) {
    text.push(client, '='.repeat([...client].length), '')
    html.push(`<h2 style="font-size:18px;margin:18px 0 6px">${escaped(client)}</h2>`)
    for (const [cause, ofCause] of groupsBy(ofClient, ({ watchName }) => watchName)) {
      if (ofCause.length > 1) {
        const many = countText(ofCause.length, ofCause[0]!.asked ? 'request' : 'alert')
        text.push(`${cause}: ${many}`, '')
        html.push(`<p style="margin:6px 0"><b>${escaped(cause)}</b>: ${many}</p>`)
      }
      for (const item of ofCause) {
        const head = `${stepWords[item.step]}${severityOf(item) && ` – ${item.severity}`}: ${titleOf(item)}`
        const site: [string, string][] = item.siteName ? [['Site', item.siteName]] : []
        const lines = [...site, ...linesOf(item, origin, now)]
        text.push(head, ...lines.map(([label, value]) => `  ${label}: ${value}`), '')
        html.push(
          `<p style="margin:12px 0 2px"><b>${escaped(head)}</b></p><table style="border-collapse:collapse">${lines
            .map(
              ([label, value]) =>
                `<tr><td style="padding:1px 14px 1px 0;vertical-align:top;color:#5a5a5a">${escaped(label)}</td><td style="padding:1px 0">${
                  value.startsWith(origin) ? `<a href="${escaped(value)}">${escaped(value)}</a>` : escaped(value)
                }</td></tr>`,
            )
            .join('')}</table>`,
        )
      }
    }
  }
  if (items.length > listed.length) {
    const more = `And ${items.length - listed.length} more. All of them: ${origin}/rounds`
    text.push(more, '')
    html.push(`<p>${escaped(more)}</p>`)
  }
  return {
    subject: subjectOf(items),
    text: text.join('\n'),
    html: `<!doctype html><html lang="en"><body style="font-family:Georgia,serif;font-size:15px;color:#1d2733">${html.join('\n')}</body></html>`,
    references: [...new Set(items.map(({ subject: { of, id } }) => `${of}-${id}`))].slice(0, 20),
  }
}

const marks: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' }
export const escaped = (text: string) => text.replace(/[&<>"]/g, (sign) => marks[sign]!)
