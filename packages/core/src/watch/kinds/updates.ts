import { ageText } from '../../text'
import { day } from '../../units'
import { read, type Observation, type WatchKind } from '../kind'
import type { Parameter } from '../parameter'
import { sayer, sentence } from '../sentence'

const levels = ['notice', 'warning', 'critical', 'nothing'] as const
const wait = { type: 'duration', min: 0, max: 365 * day } as const

const parameters: readonly Parameter[] = [
  {
    name: 'security',
    type: 'choice',
    label: 'Security updates',
    choices: levels,
    default: 'critical',
    explains: 'Critical is common practice, no source.',
  },
  {
    ...wait,
    name: 'security.after',
    label: 'Security updates after',
    default: 0,
    explains: 'How long the oldest may wait before it counts.',
  },
  {
    name: 'other',
    type: 'choice',
    label: 'Other updates',
    choices: levels,
    default: 'warning',
    explains: 'Warning is common practice, no source.',
  },
  {
    ...wait,
    name: 'other.after',
    label: 'Other updates after',
    default: 0,
    explains: 'How long the oldest may wait before it counts.',
  },
  {
    name: 'leftover',
    type: 'choice',
    label: 'Leftovers',
    choices: levels,
    default: 'nothing',
    explains: 'Packages that nothing needs any more; silent unless asked for.',
  },
  {
    name: 'lists',
    type: 'choice',
    label: 'Old package lists',
    choices: levels,
    default: 'nothing',
    explains: 'From old lists nobody learns of new updates.',
  },
  {
    ...wait,
    name: 'lists.after',
    label: 'Lists are old after',
    default: 7 * day,
    explains: 'Debian fetches them every day by itself; a week without is a fault.',
  },
  {
    name: 'restart',
    type: 'choice',
    label: 'Restart pending',
    choices: levels,
    default: 'nothing',
    explains: 'An update is installed but takes effect only after a restart.',
  },
]

export const updates: WatchKind = {
  name: 'updates',
  title: 'Waiting updates',
  subject: 'update',
  collector: 'updates',
  about: [],
  parameters,
  sentence(values) {
    const say = sayer(parameters, values)
    const raise = (name: string) => sentence`raise ${say(name)}`
    const leftover = values.leftover === 'nothing' ? [] : sentence`; for leftovers ${raise('leftover')}`
    const lists =
      values.lists === 'nothing' ? [] : sentence`; for package lists older than ${say('lists.after')} ${raise('lists')}`
    const restart = values.restart === 'nothing' ? [] : sentence`; for a pending restart ${raise('restart')}`
    return sentence`When security updates wait for more than ${say('security.after')}, ${raise('security')}; other updates for more than ${say('other.after')}, ${raise('other')}${leftover}${lists}${restart}.`
  },
  hold: () => ({ for: 0 }),
  clearHold: () => ({ for: 0 }),
  observe(values, { at, facts }) {
    const found = facts.updates
    if (!found) return []
    // Without package lists nobody knows of updates: none are told, and that is not "none".
    const isKnown = found.listsAt !== null
    const post = (instance: string, failing: boolean, subject: string, rest: string, value: number): Observation => {
      const severity = read.severity(values, instance)
      return {
        instance,
        failing: failing && severity ? [severity] : [],
        well: !(failing && severity) && (isKnown || instance === 'restart'),
        evidence: () => ({ text: `${subject} ${rest}`, subject, value }),
      }
    }
    const overdue = (count: number, oldest: number | null, after: number) => count > 0 && at - (oldest ?? at) >= after
    const oldest = (since: number | null) => (since === null ? '' : `, the oldest for ${ageText(at - since)}`)
    const listsAge = found.listsAt === undefined ? null : found.listsAt === null ? Infinity : at - found.listsAt
    return [
      ...(listsAge === null
        ? []
        : [
            post(
              'lists',
              listsAge >= read.number(values, 'lists.after'),
              'package lists',
              listsAge === Infinity ? 'were never fetched' : `are from ${ageText(listsAge)} ago`,
              listsAge === Infinity ? 0 : listsAge,
            ),
          ]),
      post(
        'security',
        overdue(found.security, found.oldestSecurityAt, read.number(values, 'security.after')),
        `${found.security} security updates`,
        `waiting${oldest(found.oldestSecurityAt)}`,
        found.security,
      ),
      post(
        'other',
        overdue(found.other, found.oldestOtherAt, read.number(values, 'other.after')),
        `${found.other} other updates`,
        `waiting${oldest(found.oldestOtherAt)}`,
        found.other,
      ),
      post('leftover', found.leftover > 0, `${found.leftover} packages`, 'that nothing needs', found.leftover),
      post('restart', found.restartPending, 'a restart', 'is pending', Number(found.restartPending)),
    ]
  },
}
