import { describe, expect, it } from 'vitest'
import type { EnrolledDevice, EnrolmentAttempt } from '#contract'
import { stepsOf } from './progress'

const at = 1_000_000
const device = (more: Partial<EnrolledDevice> = {}): EnrolledDevice => ({
  id: 1,
  name: 'tm-x',
  clientName: 'Tidemill Ferries',
  siteName: 'Harbour',
  heardAt: null,
  startsAtBoot: null,
  watches: 12,
  ...more,
})
const attempt = (more: Partial<EnrolmentAttempt> = {}): EnrolmentAttempt => ({
  id: 1,
  at,
  name: 'tm-x',
  osName: '',
  address: '',
  clockOffset: 0,
  outcome: 'enrolled',
  code: '',
  reason: '',
  device: device(),
  ...more,
})
const states = (tried: EnrolmentAttempt, now = at + 1000) =>
  stepsOf(tried, now).map((step) => `${step.name}: ${step.state}`)

describe('how far a machine has come', () => {
  it('that is refused stands at the door, with the reason', () => {
    expect(stepsOf(attempt({ outcome: 'refused', reason: 'This key was revoked.', device: null }), at)).toEqual([
      { name: 'Enrolled', state: 'stuck', text: 'This key was revoked.' },
    ])
  })
  it('waits for its first readings a minute; then something is wrong, and where to look', () => {
    expect(states(attempt())).toEqual(['Enrolled: done', 'First readings: waiting'])
    const [, late] = stepsOf(attempt(), at + 61_000)
    expect(late).toMatchObject({ state: 'stuck', text: expect.stringContaining('custode-agent check') as string })
  })
  it('that was heard before it was reinstalled has not reported since', () => {
    expect(states(attempt({ device: device({ heardAt: at - 5000 }) }))).toEqual([
      'Enrolled: done',
      'First readings: waiting',
    ])
  })
  it('that reports has its roster, and says whether it comes back after a restart', () => {
    expect(states(attempt({ device: device({ heardAt: at + 3000, startsAtBoot: true }) }))).toEqual([
      'Enrolled: done',
      'First readings: done',
      'Roster: done',
      'Starts at boot: done',
    ])
    expect(states(attempt({ device: device({ heardAt: at + 3000, startsAtBoot: false, watches: 0 }) }))).toEqual([
      'Enrolled: done',
      'First readings: done',
      'Roster: stuck',
      'Starts at boot: stuck',
    ])
    expect(states(attempt({ device: device({ heardAt: at + 3000 }) }))).toEqual([
      'Enrolled: done',
      'First readings: done',
      'Roster: done',
    ])
  })
  it('tells that its clock is off beside its name', () => {
    expect(stepsOf(attempt({ reason: 'Its clock is 7 min behind; times are corrected.' }), at)[0]!.text).toBe(
      'as tm-x at Tidemill Ferries, Harbour. Its clock is 7 min behind; times are corrected.',
    )
  })
})
