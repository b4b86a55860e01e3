import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { Severity } from '../severity'
import { minute } from '../units'
import type { Observation } from './kind'
import { advance, miss, type Judgement, type PostState, type Transition } from './post'

const judge: Judgement = {
  hold: (severity) => ({ for: severity === 'critical' ? 2 * minute : 3 * minute }),
  clearHold: { for: 2 * minute },
  gap: 2.5 * minute,
}
const seen = (...failing: Severity[]): Observation => ({
  instance: '',
  failing,
  well: failing.length === 0,
  evidence: () => ({ text: failing.join() || 'well' }),
})
const between: Observation = { instance: '', failing: [], well: false, evidence: () => ({ text: 'between' }) }

/** Runs observations, one a minute (or at given minutes), and gives the transitions in short. */
function run(steps: (Observation | [at: number, Observation])[]): { state: PostState | null; short: string[] } {
  let state: PostState | null = null
  const short: string[] = []
  steps.forEach((step, i) => {
    const [at, observation] = Array.isArray(step) ? step : [i, step]
    const result = advance(state, observation, at * minute, judge)
    state = result.state
    short.push(
      ...result.transitions.map(
        (transition: Transition) => `${transition.at / minute} ${transition.kind} ${transition.to ?? 'well'}`,
      ),
    )
  })
  return { state, short }
}

describe('a post', () => {
  it('raises a level when its condition was true for the whole hold time', () => {
    expect(run([seen('warning'), seen('warning'), seen('warning'), seen('warning')]).short).toEqual([
      '3 raised warning',
    ])
  })
  it('starts the hold with the first true check, which is its true beginning', () => {
    expect(run([seen(), seen('warning'), seen('warning'), seen('warning'), seen('warning')]).state?.began).toBe(
      1 * minute,
    )
  })
  it('ends a hold with one false check', () => {
    expect(
      run([seen('warning'), seen('warning'), seen(), seen('warning'), seen('warning'), seen('warning')]).short,
    ).toEqual([])
  })
  it('starts a hold anew after a gap longer than 2.5 intervals, so that a gap cannot raise', () => {
    expect(
      run([
        [0, seen('warning')],
        [5, seen('warning')],
        [6, seen('warning')],
      ]).short,
    ).toEqual([])
    expect(
      run([
        [0, seen('warning')],
        [2.5, seen('warning')],
        [4, seen('warning')],
      ]).short,
    ).toEqual(['4 raised warning'])
  })
  it('nor clear', () => {
    expect(
      run([
        [0, seen('critical')],
        [2, seen('critical')],
        [3, seen()],
        [30, seen()],
      ]).short,
    ).toEqual(['2 raised critical'])
  })
  it('has the highest level that holds, and rises in the same alert', () => {
    const both = seen('warning', 'critical')
    expect(run([seen('warning'), seen('warning'), seen('warning'), seen('warning'), both, both, both]).short).toEqual([
      '3 raised warning',
      '6 changed critical',
    ])
  })
  it('falls to a lower level at once when the higher is no longer true', () => {
    const both = seen('warning', 'critical')
    expect(run([both, both, both, both, seen('warning')]).short).toEqual(['2 raised critical', '4 changed warning'])
  })
  it('stays as it is between the level and the clear condition', () => {
    const critical = seen('critical')
    expect(run([critical, critical, critical, between, between, between, between, between]).state?.level).toBe(
      'critical',
    )
  })
  it('clears only after the clear time', () => {
    const critical = seen('critical')
    expect(run([critical, critical, critical, seen(), seen(), seen()]).short).toEqual([
      '2 raised critical',
      '5 cleared well',
    ])
    expect(run([critical, critical, critical, seen(), seen(), critical, seen(), seen()]).short).toEqual([
      '2 raised critical',
    ])
  })
  it('counts checks in a row where the hold says so', () => {
    const three: Judgement = { ...judge, hold: () => ({ checks: 3 }) }
    let state: PostState | null = null
    const levels = [1, 2, 3].map((at) => (state = advance(state, seen('notice'), at * 1000, three).state).level)
    expect(levels).toEqual([null, null, 'notice'])
  })
  it('is silent after a gap without a check, keeps its level, and says when it is heard again', () => {
    const { state } = run([seen('critical'), seen('critical'), seen('critical')])
    expect(miss(state!, 4 * minute, judge.gap).transitions).toEqual([])
    const silent = miss(state!, 5 * minute, judge.gap)
    expect(silent.transitions.map((transition) => transition.kind)).toEqual(['silent'])
    expect(silent.state.level).toBe('critical')
    expect(
      advance(silent.state, seen('critical'), 9 * minute, judge).transitions.map((transition) => transition.kind),
    ).toEqual(['heard'])
  })

  const observations = fc.array(
    fc.record({
      gap: fc.integer({ min: 1, max: 4 }),
      failing: fc.constantFrom<Severity[]>([], ['warning'], ['critical'], ['warning', 'critical']),
    }),
    { maxLength: 60 },
  )

  it('changes nothing when a check is repeated or comes out of order', () => {
    fc.assert(
      fc.property(observations, fc.infiniteStream(fc.boolean()), (list, again) => {
        let at = 0
        let state: PostState | null = null
        for (const instance of list) {
          at += instance.gap * minute
          state = advance(state, seen(...instance.failing), at, judge).state
          if (again.next().value) {
            const repeated = advance(state, seen('critical'), at - minute * Number(again.next().value), judge)
            expect(repeated.state).toBe(state)
            expect(repeated.transitions).toEqual([])
          }
        }
      }),
    )
  })

  it('agrees with a plain reading of the rule: raised means true at every check over the whole hold, without a gap', () => {
    fc.assert(
      fc.property(observations, (list) => {
        let at = 0
        let state: PostState | null = null
        const history: { at: number; failing: readonly Severity[] }[] = []
        for (const instance of list) {
          at += instance.gap * minute
          history.push({ at, failing: instance.failing })
          const result = advance(state, seen(...instance.failing), at, judge)
          state = result.state
          for (const transition of result.transitions.filter((each) => each.kind === 'raised')) {
            const hold = (judge.hold(transition.to!) as { for: number }).for
            // Backwards from now: the unbroken run of checks in which this level was true.
            let since = at
            for (
              let i = history.length - 1;
              i >= 0 && history[i]!.failing.includes(transition.to!) && since - history[i]!.at <= judge.gap;
              i--
            )
              since = history[i]!.at
            expect(at - since).toBeGreaterThanOrEqual(hold)
          }
        }
      }),
    )
  })
})
