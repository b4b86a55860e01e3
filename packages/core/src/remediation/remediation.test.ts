import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { hour, minute, second } from '../units'
import { sentenceText, watchKind, type Values } from '../watch'
import {
  actionsFor,
  answerWithin,
  longestRemediation,
  remediationStep,
  responseOf,
  type Trouble,
  type Attempt,
} from './remediation'

const defaults = (kind: string, more: Values): Values => ({
  ...Object.fromEntries(watchKind(kind).parameters.map((parameter) => [parameter.name, parameter.default])),
  ...more,
})
const now = 10 * hour
const failing = { runs: { critical: { since: 0, checks: 3 } }, lastAt: now, silent: false }
const well = { runs: {}, lastAt: now, silent: false }
/** Began a moment ago, on a device that was heard just now. */
const trouble: Trouble = { startedAt: now - 5 * minute, heardAt: now, gap: 150 * second }
const thrice = { times: 3, wait: minute }
const tried = (ago: number, more: Partial<Attempt> = {}): Attempt => ({
  at: now - ago,
  state: 'done',
  endedAt: now - ago + second,
  hopeless: false,
  ...more,
})
const next = (
  attempts: Attempt[],
  post: typeof failing | typeof well = failing,
  response = thrice,
  more: Partial<Trouble> = {},
) => remediationStep(response, attempts, post, { ...trouble, ...more }, now).next

describe('what a watch does by itself', () => {
  it('is to start what should run, and to stop what should not; nothing unless it was told to', () => {
    expect(responseOf({ kind: 'service-state', values: defaults('service-state', { tries: 3 }) }, 'nginx')).toEqual({
      action: { verb: 'start', service: 'nginx' },
      times: 3,
      wait: minute,
    })
    expect(
      responseOf(
        {
          kind: 'service-state',
          values: defaults('service-state', { which: 'named', expected: 'stopped', tries: 1 }),
        },
        'telnetd',
      )?.action,
    ).toEqual({ verb: 'stop', service: 'telnetd' })
    expect(responseOf({ kind: 'service-state', values: defaults('service-state', {}) }, 'nginx')).toBeNull()
  })
  it('or to restart a service that it names, for what is no service itself', () => {
    expect(
      responseOf(
        { kind: 'memory-available', values: defaults('memory-available', { 'restart.service': 'tomcat10' }) },
        '',
      ),
    ).toEqual({ action: { verb: 'restart', service: 'tomcat10' }, times: 1, wait: 2 * minute })
    expect(responseOf({ kind: 'memory-available', values: defaults('memory-available', {}) }, '')).toBeNull()
    expect(responseOf({ kind: 'silence', values: defaults('silence', {}) }, '')).toBeNull()
  })
  it('stands in its sentence', () => {
    expect(
      sentenceText(
        watchKind('service-state').sentence(defaults('service-state', { tries: 3, todo: 'call the vendor' })),
      ),
    ).toBe(
      'On every service that should be running, when stopped or failed for 60 s, or started 5 times within 10 min, raise critical; clear after 60 s well. The agent first starts it itself, up to 3 times an hour, and waits 60 s each time. Then: call the vendor',
    )
    expect(sentenceText(watchKind('load').sentence(defaults('load', { 'restart.service': 'worker' })))).toContain(
      ' The agent first restarts worker, up to once an hour, and waits 2 min each time.',
    )
  })
  it('a person may ask for the same, and for a restart of what should run, whatever it does by itself', () => {
    expect(
      actionsFor({ kind: 'service-state', values: defaults('service-state', {}) }, 'nginx').map(
        (action) => action.verb,
      ),
    ).toEqual(['start', 'restart'])
    expect(actionsFor({ kind: 'load', values: defaults('load', {}) }, '')).toEqual([])
  })
})

describe('before a person is told', () => {
  it('it is tried at once, and again only after each try had its time', () => {
    expect(next([])).toBe('attempt')
    expect(remediationStep(thrice, [tried(30 * second)], failing, trouble, now)).toEqual({
      next: 'wait',
      until: now + 31 * second,
    })
    expect(next([tried(2 * minute)])).toBe('attempt')
  })
  it('a person is told when the tries of an hour are used up; older ones do not count', () => {
    expect(next([tried(50 * minute), tried(40 * minute), tried(2 * minute)])).toBe('escalate')
    expect(next([tried(61 * minute), tried(40 * minute), tried(2 * minute)])).toBe('attempt')
  })
  it('a try is judged only by what was seen after it', () => {
    expect(next([tried(2 * minute)], { ...failing, lastAt: now - 3 * minute })).toBe('wait')
  })
  it('nothing seen after it for five minutes more: nobody knows, so the person is told', () => {
    expect(
      next([tried(7 * minute)], { ...failing, lastAt: now - 8 * minute }, thrice, { startedAt: now - 8 * minute }),
    ).toBe('escalate')
  })
  it('what cannot be judged any more goes back to a person: the device is silent, or its collector is', () => {
    expect(next([], failing, thrice, { heardAt: now - 3 * minute })).toBe('escalate')
    expect(next([tried(30 * second)], { ...well, silent: true, lastAt: now - 3 * minute })).toBe('escalate')
  })
  it('a check that was late is not one that stays away: what is being tried goes on', () => {
    expect(next([tried(30 * second)], { ...well, silent: true, lastAt: now - minute })).toBe('wait')
  })
  it('tries that are given an hour each are counted all the same, and none takes longer than two', () => {
    const slow = { times: 5, wait: hour }
    const startedAt = now - 119 * minute
    expect(next([tried(118 * minute), tried(57 * minute)], failing, slow, { startedAt })).toBe('wait')
    expect(next([tried(118 * minute)], failing, slow, { startedAt: now - longestRemediation })).toBe('escalate')
  })
  it('no trouble is tried for ever, whatever the watch says and whatever was tried', () => {
    const anyTry = fc.record({
      at: fc.integer({ min: 0, max: 1 }).map((share) => now - share * 3 * hour),
      state: fc.constantFrom('asked' as const, 'done' as const, 'failed' as const),
      endedAt: fc.constantFrom(null, now - minute),
      hopeless: fc.constant(false),
    })
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 5 }),
        fc.integer({ min: 10 * second, max: hour }),
        fc.array(anyTry),
        (times, wait, attempts) => {
          expect(
            remediationStep(
              { times, wait },
              attempts,
              failing,
              { startedAt: now - longestRemediation, heardAt: now, gap: minute },
              now,
            ).next,
          ).toBe('escalate')
          const step = remediationStep({ times, wait }, attempts, failing, { ...trouble, startedAt: now }, now)
          if (step.next === 'wait') expect(step.until).toBeLessThanOrEqual(now + longestRemediation)
        },
      ),
    )
  })
  it('what is well and waits for its clear time is left alone', () => {
    expect(next([tried(5 * minute)], well)).toBe('wait')
    expect(next([tried(3 * minute), tried(4 * minute), tried(5 * minute)], well)).toBe('wait')
  })
  it('an agent that does not answer in time counts as one that tried', () => {
    const asked = (ago: number) => tried(ago, { state: 'asked', endedAt: null })
    expect(remediationStep(thrice, [asked(minute)], failing, trouble, now)).toEqual({
      next: 'wait',
      until: now - minute + answerWithin,
    })
    expect(next([asked(2 * minute)])).toBe('attempt')
    expect(next([asked(2 * minute)], failing, { times: 1, wait: minute })).toBe('escalate')
  })
  it('what cannot help is not tried again: the person is told at once', () => {
    expect(next([tried(second, { state: 'failed', hopeless: true })])).toBe('escalate')
  })
})
