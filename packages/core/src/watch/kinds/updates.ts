import { ageText } from '../../text'
import { day } from '../../units'
import { read, type Observation, type WatchKind } from '../kind'
import type { Parameter } from '../parameter'
import { sayer, sentence } from '../sentence'

const levels = ['notice', 'warning', 'critical', 'nothing'] as const
const wait = { type: 'duration', min: 0, max: 365 * day } as const

const parameters: readonly Parameter[] = [
  { name: 'security', type: 'choice', label: 'Security updates', choices: levels, default: 'critical', explains: 'Critical is common practice, no source.' },
  { ...wait, name: 'security.after', label: 'Security updates after', default: 0, explains: 'How long the oldest may wait before it counts.' },
  { name: 'other', type: 'choice', label: 'Other updates', choices: levels, default: 'warning', explains: 'Warning is common practice, no source.' },
  { ...wait, name: 'other.after', label: 'Other updates after', default: 0, explains: 'How long the oldest may wait before it counts.' },
  { name: 'leftover', type: 'choice', label: 'Leftovers', choices: levels, default: 'nothing', explains: 'Packages that nothing needs any more; silent unless asked for.' },
  { name: 'restart', type: 'choice', label: 'Restart pending', choices: levels, default: 'nothing', explains: 'An update is installed but takes effect only after a restart.' },
]

export const updates: WatchKind = {
  name: 'updates',
  title: 'Waiting updates',
  subject: 'update',
  collector: 'updates',
  parameters,
  sentence(values) {
    const say = sayer(parameters, values)
    const raise = (name: string) => sentence`raise ${say(name)}`
    const leftover = values.leftover === 'nothing' ? [] : sentence`; for leftovers ${raise('leftover')}`
    const restart = values.restart === 'nothing' ? [] : sentence`; for a pending restart ${raise('restart')}`
    return sentence`When security updates wait for more than ${say('security.after')}, ${raise('security')}; other updates for more than ${say('other.after')}, ${raise('other')}${leftover}${restart}.`
  },
  hold: () => ({ for: 0 }),
  clearHold: () => ({ for: 0 }),
  observe(values, { at, facts }) {
    const found = facts.updates
    if (!found) return []
    const post = (instance: string, failing: boolean, text: string, value: number): Observation => {
      const severity = read.severity(values, instance)
      return { instance, failing: failing && severity ? [severity] : [], well: !(failing && severity), evidence: () => ({ text, value }) }
    }
    const overdue = (count: number, oldest: number | null, after: number) => count > 0 && at - (oldest ?? at) >= after
    const oldest = (since: number | null) => (since === null ? '' : `, the oldest for ${ageText(at - since)}`)
    return [
      post('security', overdue(found.security, found.oldestSecurityAt, read.number(values, 'security.after')),
        `${found.security} security updates waiting${oldest(found.oldestSecurityAt)}`, found.security),
      post('other', overdue(found.other, found.oldestOtherAt, read.number(values, 'other.after')),
        `${found.other} other updates waiting${oldest(found.oldestOtherAt)}`, found.other),
      post('leftover', found.leftover > 0, `${found.leftover} packages that nothing needs`, found.leftover),
      post('restart', found.restartPending, 'a restart is pending', Number(found.restartPending)),
    ]
  },
}
