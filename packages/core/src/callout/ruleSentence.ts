import { targetSentence, type EstateNames } from '../estate'
import { durationText } from '../text'
import type { SentencePart, Subject } from '../watch'
import type { AlertCause, CalloutRule, Recipient } from './rule'

/** How those who are told are called, for sentences. */
export interface CalloutNames extends EstateNames {
  team(id: number): string | null
  person(id: number): string | null
  webhook(id: number): string | null
}

export const familyWords: Record<Subject, string> = {
  silence: 'silence',
  service: 'services',
  disk: 'disks',
  update: 'updates',
  eventlog: 'event logs',
  performance: 'performance',
  process: 'processes',
  file: 'files and folders',
  certificate: 'certificates',
  reach: 'reachability',
  protection: 'protection',
  session: 'sessions',
  counter: 'counters of programs',
  agent: 'the agent itself',
}
export const causeWords: Record<AlertCause, string> = {
  site: 'a whole site that is silent',
  silence: 'a device that is silent',
  watch: 'what a watch sees',
}

const listed = (parts: readonly string[], word = 'and') =>
  parts.length < 2 ? (parts[0] ?? '') : `${parts.slice(0, -1).join(', ')} ${word} ${parts.at(-1)!}`

export function recipientText(recipient: Recipient, names: CalloutNames): string {
  switch (recipient.to) {
    case 'team':
      return names.team(recipient.id) ?? 'a team that is gone'
    case 'on-call':
      return `who is on call of ${names.team(recipient.id) ?? 'a team that is gone'}`
    case 'person':
      return names.person(recipient.id) ?? 'somebody who is gone'
    case 'webhook':
      return names.webhook(recipient.id) ?? 'a webhook that is gone'
    case 'leads':
      return 'the leads'
  }
}

/** @example recipientsText([{ to: 'leads' }], names) // 'the leads' */
export function recipientsText(recipients: readonly Recipient[], names: CalloutNames): string {
  return listed(recipients.map((recipient) => recipientText(recipient, names))) || 'nobody'
}

/** Of which alerts. */
function sayAlerts(
  rule: CalloutRule,
  names: CalloutNames,
  say: (text: string) => void,
  put: (parameter: string, text: string) => void,
): void {
  say('For ')
  put('severities', rule.severities.length === 3 ? 'all' : listed(rule.severities) || 'no')
  say(' alerts on ')
  put('target', targetSentence(rule.target, names))
  if (rule.families) {
    say(' about ')
    put('families', listed(rule.families.map((family) => familyWords[family])))
  }
  if (rule.causes) {
    say(' because of ')
    put(
      'causes',
      listed(
        rule.causes.map((cause) => causeWords[cause]),
        'or',
      ),
    )
  }
}

/** A call-out rule as people read it; the parts that can be changed carry the name of what they change. */
export function calloutSentence(rule: CalloutRule, names: CalloutNames): SentencePart[] {
  const parts: SentencePart[] = []
  const say = (text: string) => parts.push({ text })
  const put = (parameter: string, text: string) => parts.push({ parameter, text })
  if (rule.about === 'mail') {
    say('For mail from people of ')
    put('target', rule.clientId === null ? 'any client' : (names.client(rule.clientId) ?? 'a client that is gone'))
  } else sayAlerts(rule, names, say, put)
  say(', tell ')
  put('tell', recipientsText(rule.tell, names))
  say(' ')
  put('after', rule.after === 0 ? 'at once' : `if nobody took it for ${durationText(rule.after)}`)
  if (rule.hours) {
    say(', ')
    put('hours', rule.hours)
    say(', and outside of these hours ')
    put('outside', rule.outside === 'later' ? 'when they begin' : 'not at all')
  }
  if (rule.again) {
    say(', again every ')
    put('again', durationText(rule.again))
    say(' until somebody takes it')
  }
  if (rule.escalate) {
    say('; not taken after ')
    put('escalateAfter', durationText(rule.escalate.after))
    say(', tell ')
    put('escalateTell', recipientsText(rule.escalate.tell, names))
  }
  if (rule.remindAfter) {
    say('; taken but untouched for ')
    put('remindAfter', durationText(rule.remindAfter))
    say(', remind whoever has it')
  }
  if (rule.sayWell) {
    say('; well again, ')
    put('sayWell', 'say so')
  }
  say('.')
  return parts
}
