import type { RequestEntry, RequestView } from '#contract'
import type { MailFate, Millis, RequestEvent } from '#core'

export const askerText = ({ fromName, fromAddress }: Pick<RequestView, 'fromName' | 'fromAddress'>): string =>
  fromName || fromAddress || 'somebody without an address'
export const subjectText = ({ subject }: Pick<RequestView, 'subject'>): string => subject || 'without a subject'
export const clientText = ({ clientName }: Pick<RequestView, 'clientName'>): string =>
  clientName || 'nobody knows whose'

/** They wrote, and nobody has answered since. */
export const isWaiting = ({
  status,
  lastCameAt,
  answeredAt,
}: Pick<RequestView, 'status' | 'lastCameAt' | 'answeredAt'>) =>
  status !== 'closed' && (answeredAt === null || answeredAt < lastCameAt)

/** How it stands, in few words. `at`: now */
export function standText(request: RequestView, at: Millis): string {
  if (request.status === 'closed') return 'closed'
  const parts: string[] = []
  if (request.takenBy) parts.push(`taken by ${request.takenBy}`)
  if (request.offeredTo) parts.push(`handed to ${request.offeredTo} by ${request.offeredBy}`)
  if (request.hiddenUntil !== null && request.hiddenUntil > at) parts.push('put off')
  if (request.answeredAt !== null) parts.push(isWaiting(request) ? 'they wrote again' : 'answered')
  return parts.join(', ') || 'nobody has it yet'
}

const eventWords: Record<RequestEvent, string> = {
  came: 'wrote',
  reported: 'reported it',
  'auto-reply': 'an automatic reply came',
  bounce: 'an answer came back',
  answered: 'answered',
  note: 'noted',
  taken: 'took it',
  'given-back': 'gave it back',
  'handed-over': 'handed it over',
  declined: 'did not accept it',
  hidden: 'put it off',
  shown: 'shown again',
  joined: 'said what it is about',
  placed: 'said whose it is',
  closed: 'closed it',
  reopened: 'opened it again',
}
export function happenedText({ event, by, name, mail }: Pick<RequestEntry, 'event' | 'by' | 'name' | 'mail'>): string {
  if (mail && event === 'came') return `${mail.fromName || mail.fromAddress} ${eventWords.came}`
  if (event === 'reported') return `${name} ${eventWords.reported}`
  const who = by ? `${by} ` : event === 'reopened' ? 'by what they wrote it was ' : ''
  const done = by || event !== 'reopened' ? eventWords[event] : 'opened again'
  return `${who}${done}${name ? `: ${name}` : ''}`
}

/** Why a mail became no request. */
export const fateWords: Record<MailFate, string> = {
  request: 'a request',
  answer: 'an answer',
  'auto-reply': 'an automatic reply',
  bounce: 'a failure of delivery',
  list: 'a mailing list',
  loop: 'it came from here',
  flood: 'too many of one sender',
  unreadable: 'it could not be read',
}

const units = ['B', 'kB', 'MB'] as const
export function sizeText(bytes: number): string {
  const step = bytes < 1000 ? 0 : bytes < 1e6 ? 1 : 2
  return `${Math.round(bytes / 1000 ** step)} ${units[step]}`
}
