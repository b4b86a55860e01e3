import { ageText, bytesText, countText, percentText } from '../text'
import { second, type Millis } from '../units'
import type { ProbeCheck } from './ask'

/** Why a look failed: codes cross, words are made where they are read. */
export const probeFaults = [
  'refused',
  'unreachable',
  'timeout',
  'closed',
  'unresolved',
  'tls',
  'status',
  'words',
  'redirect',
  'small',
  'large',
  'untrusted',
  'expired',
  'name',
  'answer',
  'greeting',
  'loss',
  'other',
] as const
/** Why it could not be looked at: that says nothing of the other device. */
export const probeTroubles = ['not-allowed', 'no-ping', 'no-rights', 'no-names', 'other'] as const
export type ProbeFault = (typeof probeFaults)[number]
export type ProbeTrouble = (typeof probeTroubles)[number]

/** What an agent says of an ask: its last look, and how many before it came to the same. */
export interface ProbeTold {
  id: number
  outcome: 'good' | 'bad' | 'trouble'
  fault?: ProbeFault
  trouble?: ProbeTrouble
  /** What belongs to it: the status, the answer, the greeting, where it leads, what the system said. */
  detail?: string
  inARow: number
  /** For how long it has come to the same. */
  lasts: Millis
  /** Of the last look; absent: nothing answered. */
  time?: Millis
  /** Mean of the looks of the last minutes that were answered. */
  mean?: Millis
  /** Of the last look. */
  loss?: number
  address?: string
  /** When the certificate ends, by that machine's own words. */
  expires?: Millis
  size?: number
}

/** How a look that failed reads, after the name of what was looked at. */
export function probeFaultText({ fault, detail = '', loss }: Omit<ProbeTold, 'id'>, check: ProbeCheck): string {
  switch (fault) {
    case 'refused':
      return 'refuses the connection'
    case 'unreachable':
      return 'cannot be reached'
    case 'timeout':
      return 'does not answer'
    case 'closed':
      return 'closes the connection without a word'
    case 'unresolved':
      return `has a name that is not found${detail && ` (${detail})`}`
    case 'tls':
      return `does not agree on encryption${detail && ` (${detail})`}`
    case 'status':
      return `answers ${detail}`
    case 'words':
      return `does not have “${check.check === 'page' || check.check === 'mail' ? check.words : ''}”`
    case 'redirect':
      return `leads to ${detail}, which may not be looked at`
    case 'small':
      return `is ${detail ? bytesText(Number(detail)) : 'too'} small`
    case 'large':
      return `is ${detail ? bytesText(Number(detail)) : 'too'} large`
    case 'untrusted':
      return `has a certificate that is not trusted${detail && ` (${detail})`}`
    case 'expired':
      return 'has a certificate that is no longer valid'
    case 'name':
      return `has a certificate for ${detail || 'another name'}`
    case 'answer':
      return detail ? `is answered with ${detail}` : 'is not answered'
    case 'greeting':
      return detail ? `greets with “${detail}”` : 'greets with nothing'
    case 'loss':
      return `loses ${percentText(loss ?? 1)}`
    default:
      return `fails${detail && `: ${detail}`}`
  }
}

/** How it reads that it could not be looked at. */
export function probeTroubleText({ trouble, detail = '' }: Omit<ProbeTold, 'id'>): string {
  switch (trouble) {
    case 'not-allowed':
      return `${detail || 'its address'} is neither in the networks of the site nor among its named addresses`
    case 'no-ping':
      return 'there is no ping on it'
    case 'no-names':
      return 'it cannot look names up just now'
    case 'no-rights':
      return 'its system does not let the agent ping: run the line of its installation once more there, or have net.ipv4.ping_group_range hold its group'
    default:
      return detail || 'it does not say why'
  }
}

/** How a look that was answered reads: *answers in 12 ms*. */
export function probeGoodText({ time, mean, expires }: Omit<ProbeTold, 'id'>, at: Millis): string {
  const took = mean ?? time
  if (expires !== undefined) return expires > at ? `valid for ${ageText(expires - at)}` : 'over'
  return took === undefined ? 'answers' : `answers in ${millisText(took)}`
}

/** A short time: *0.4 ms*, *12 ms*, *1.3 s*. */
export const millisText = (time: Millis): string =>
  time < 10
    ? `${Number(time.toFixed(1))} ms`
    : time < second
      ? `${Math.round(time)} ms`
      : `${Number((time / second).toFixed(1))} s`

export const inARowText = (count: number): string => (count === 1 ? 'once' : countText(count, 'time') + ' in a row')
