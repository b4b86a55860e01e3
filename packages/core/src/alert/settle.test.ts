import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { Severity } from '../severity'
import { day, hour, minute } from '../units'
import { settle, steadyAtLeast, steadyFor, type AlertAction, type OpenAlert, type Situation } from './settle'

const failing = (level: Severity = 'critical', began = 5): Situation['standing'] => ({
  level,
  began,
  evidence: { text: 'x' },
})
const well: Situation['standing'] = { level: null, began: null, evidence: null }
const situation = (more: Partial<Situation>): Situation => ({
  standing: well,
  cover: null,
  alert: null,
  held: null,
  dismissed: null,
  past: [],
  remediation: null,
  mayRemediate: false,
  at: 10 * hour,
  ...more,
})
const open = (severity: Severity, began: number, more: Partial<OpenAlert> = {}): OpenAlert => ({
  severity,
  began,
  flips: [],
  wellSince: null,
  ...more,
})
const doing = (more: Partial<Situation>) => settle(situation(more)).map((action) => action.do)

describe('an alert', () => {
  it('is raised when a post fails, and closes by itself when it is well', () => {
    expect(settle(situation({ standing: failing() }))).toEqual([
      { do: 'raise', severity: 'critical', began: 5, evidence: { text: 'x' }, afterMaintenance: false },
    ])
    expect(settle(situation({ alert: open('critical', 5) }))).toEqual([{ do: 'close', because: 'cleared' }])
  })
  it('is held while a window covers the post', () => {
    expect(settle(situation({ standing: failing(), cover: { id: 3, occurrence: 30 } }))).toMatchObject([
      { do: 'hold', windowId: 3 },
    ])
  })
  it('stays open when it was open before the window', () => {
    expect(doing({ standing: failing(), cover: { id: 3, occurrence: 30 }, alert: open('critical', 5) })).toEqual([])
  })
  it('comes out of the window at its end with its true beginning', () => {
    expect(
      settle(situation({ standing: failing('critical', 9), held: { occurrence: 30, severity: 'critical', began: 5 } })),
    ).toMatchObject([
      { do: 'end held', outcome: 'raised' },
      { do: 'raise', began: 5, afterMaintenance: true },
    ])
  })
  it('or stays in the window’s record when it is well again', () => {
    expect(
      settle(situation({ cover: { id: 3, occurrence: 30 }, held: { occurrence: 30, severity: 'critical', began: 5 } })),
    ).toEqual([{ do: 'end held', outcome: 'cleared' }])
  })
  it('passes from one window to the next without being raised', () => {
    expect(
      doing({
        standing: failing(),
        cover: { id: 4, occurrence: 40 },
        held: { occurrence: 30, severity: 'critical', began: 5 },
      }),
    ).toEqual(['end held', 'hold'])
  })
  it('that a person closed stays closed until the post is well, or worse', () => {
    const dismissed = { began: 5, severity: 'warning' as const, closedAt: 0 }
    expect(doing({ standing: failing('warning'), dismissed })).toEqual([])
    expect(doing({ standing: failing('critical'), dismissed })).toEqual(['raise'])
    expect(doing({ standing: failing('warning', 80), dismissed })).toEqual(['raise'])
  })
  it('that a person closed opens again when it fails again, or gets worse, within the hour; later it is another one', () => {
    const dismissed = { began: 5, severity: 'warning' as const, closedAt: 3 * hour }
    const again = (at: number, more: Partial<Situation> = {}) =>
      doing({ standing: failing('warning', 80), dismissed, at, ...more })
    expect([again(4 * hour - 1), again(4 * hour)]).toEqual([['reopen'], ['raise']])
    expect(again(3 * hour + 1, { standing: failing('critical') })).toEqual(['reopen'])
    expect(again(3 * hour + 1, { standing: failing('warning', 5) })).toEqual([])
    // What is over stays in the books of the client where it happened.
    expect(again(3 * hour + 1, { dismissed: { ...dismissed, closedAt: null } })).toEqual(['raise'])
    // A window, and what is tried first, come before it.
    expect(again(3 * hour + 1, { cover: { id: 3, occurrence: 30 } })).toEqual(['hold'])
    expect(again(3 * hour + 1, { mayRemediate: true })).toEqual(['remediate'])
    expect(again(3 * hour + 1, { held: { occurrence: 30, severity: 'warning', began: 80 } })).toEqual([
      'end held',
      'reopen',
    ])
  })
  it('closes when its watch leaves the roster', () => {
    expect(settle(situation({ standing: null, alert: open('notice', 1) }))).toEqual([
      { do: 'close', because: 'unwatched' },
    ])
  })

  it('waits while something is tried first, and has the true beginning when that did not help', () => {
    expect(doing({ standing: failing(), mayRemediate: true })).toEqual(['remediate'])
    const remediation = { severity: 'critical' as const, began: 5 }
    expect(doing({ standing: failing(), mayRemediate: true, remediation })).toEqual([])
    expect(settle(situation({ standing: failing('critical', 9), remediation }))).toMatchObject([
      { do: 'end remediation', outcome: 'raised' },
      { do: 'raise', began: 5 },
    ])
    expect(settle(situation({ remediation }))).toEqual([{ do: 'end remediation', outcome: 'cleared' }])
    expect(settle(situation({ standing: failing('warning'), mayRemediate: true, remediation }))).toMatchObject([
      { do: 'change remediation', severity: 'warning' },
    ])
  })
  it('nothing is tried while a window covers the post, nor when it comes out of one, nor once a person was told', () => {
    const remediation = { severity: 'critical' as const, began: 5 }
    expect(
      settle(
        situation({
          standing: failing('critical', 9),
          mayRemediate: true,
          remediation,
          cover: { id: 3, occurrence: 30 },
        }),
      ),
    ).toMatchObject([
      { do: 'end remediation', outcome: 'held' },
      { do: 'hold', began: 5 },
    ])
    expect(
      doing({ standing: failing(), mayRemediate: true, held: { occurrence: 30, severity: 'critical', began: 5 } }),
    ).toEqual(['end held', 'raise'])
    expect(doing({ standing: failing(), mayRemediate: true, alert: open('critical', 5) })).toEqual([])
  })

  describe('of a post that fails again and again', () => {
    const past = [{ beganAt: [10 * hour - 20 * minute] }, { beganAt: [10 * hour - 50 * minute] }]
    const began = 10 * hour
    it('is the last one, opened again, at the third time within an hour', () => {
      expect(settle(situation({ standing: failing('warning', began), past }))).toEqual([
        {
          do: 'flip',
          severity: 'warning',
          began,
          evidence: { text: 'x' },
          beganAt: [10 * hour - 50 * minute, 10 * hour - 20 * minute, began],
        },
      ])
      expect(doing({ standing: failing('warning', began + 11 * minute), past })).toEqual(['raise'])
      expect(doing({ standing: failing('warning', began), past: past.slice(1) })).toEqual(['raise'])
    })
    it('or is held, tried first, or raised when it comes out of a window, as any other', () => {
      const standing = failing('warning', began)
      expect(doing({ standing, past, cover: { id: 3, occurrence: 30 } })).toEqual(['hold'])
      expect(doing({ standing, past, mayRemediate: true })).toEqual(['remediate'])
      const held = { occurrence: 30, severity: 'warning' as const, began }
      expect(doing({ standing, past, held })).toEqual(['end held', 'raise'])
    })
    it('is not closed before it has been well for half an hour without a break', () => {
      const alert = open('warning', 5, { flips: [5] })
      expect(doing({ alert })).toEqual(['well'])
      const since = { ...alert, wellSince: began }
      expect(doing({ alert: since, at: began + steadyAtLeast - 1 })).toEqual([])
      expect(doing({ alert: since, at: began + steadyAtLeast })).toEqual(['close'])
      expect(doing({ alert: since, standing: failing('critical', 9) })).toEqual(['fail again', 'change'])
      expect(doing({ alert: since, standing: failing('warning', 9), cover: { id: 3, occurrence: 30 } })).toEqual([
        'fail again',
      ])
    })
    it('or at the fourth within a day, however far apart', () => {
      const times = [10 * hour, 5 * hour, 0].map((at) => ({ beganAt: [2 * day + at] }))
      const fourth = 2 * day + 15 * hour
      expect(settle(situation({ standing: failing('warning', fourth), past: times, at: fourth }))).toMatchObject([
        { do: 'flip', beganAt: [0, 5, 10, 15].map((hours) => 2 * day + hours * hour) },
      ])
      expect(doing({ standing: failing('warning', fourth + 9 * hour + 1), past: times })).toEqual(['raise'])
      expect(doing({ standing: failing('warning', fourth), past: times.slice(0, 2) })).toEqual(['raise'])
    })
    it.each([
      ['every six minutes', [0, 6, 12, 18], 30],
      ['every 20 minutes', [0, 20, 40], 40],
      ['every five hours', [0, 300, 600, 900], 600],
      ['three times at once, half a day later', [0, 1, 2, 720], 720],
      ['and at once again: what was before counts no more', [0, 1, 2, 720, 721, 722, 723], 30],
      ['every nine hours: no more than half a day', [0, 540, 1080, 1620], 720],
    ])('is steady after twice as long as it was well between: %s', (_, minutes, steady) => {
      expect(steadyFor(minutes.map((each) => each * minute))).toBe(steady * minute)
    })
    it('was over when it was, though nobody looked before it failed anew', () => {
      const alert = open('warning', 5, { flips: [began - 40 * minute, began - 20 * minute, began], wellSince: began })
      const steady = began + 40 * minute
      expect(settle(situation({ alert, at: began + 3 * hour }))).toEqual([
        { do: 'close', because: 'cleared', at: steady },
      ])
      expect(doing({ alert, standing: failing('critical', began + day), at: began + day })).toEqual(['close', 'raise'])
      expect(doing({ alert, standing: failing('critical', began + 2 * hour), at: began + 2 * hour })).toEqual([
        'close',
        'flip',
      ])
    })
    it('counts each beginning once, also where one that flipped counts those before it', () => {
      const past = [{ beganAt: [began - 3 * hour, began - 2 * hour] }, { beganAt: [began - 3 * hour] }]
      expect(doing({ standing: failing('warning', began), past })).toEqual(['raise'])
    })
    it('closes at once when it is watched no more', () => {
      expect(doing({ standing: null, alert: open('warning', 5, { flips: [5], wellSince: began }) })).toEqual(['close'])
    })
  })

  it('whatever happens: a covered post never raises, never two are open, and nothing is done twice', () => {
    const step = fc.record({
      level: fc.constantFrom<(Severity | null)[]>(null, 'warning', 'critical'),
      cover: fc.constantFrom<(number | null)[]>(null, 1, 2),
      watched: fc.boolean(),
      mayRemediate: fc.boolean(),
    })
    fc.assert(
      fc.property(fc.array(step, { maxLength: 40 }), (steps) => {
        let alert: Situation['alert'] = null
        let held: Situation['held'] = null
        let remediation: Situation['remediation'] = null
        const past: { beganAt: number[] }[] = []
        steps.forEach(({ level, cover, watched, mayRemediate }, i) => {
          const minutes = i * 5
          const at = minutes * minute
          const now = situation({
            standing: watched ? { level: level as Severity | null, began: level ? at : null, evidence: null } : null,
            cover: cover ? { id: cover as number, occurrence: cover as number } : null,
            alert,
            held,
            remediation,
            mayRemediate,
            past: past.slice(0, 3),
            at,
          })
          for (const action of settle(now)) {
            if (action.do === 'raise' || action.do === 'flip') {
              expect(cover).toBeNull()
              expect(alert).toBeNull()
              alert = open(action.severity, action.began)
            }
            if (action.do === 'flip') alert = open(action.severity, action.began, { flips: action.beganAt })
            if (action.do === 'well') alert = { ...alert!, wellSince: minutes * minute }
            if (action.do === 'fail again') alert = { ...alert!, wellSince: null }
            if (action.do === 'change') alert = { ...alert!, severity: action.severity }
            if (action.do === 'close') {
              past.unshift({ beganAt: [alert!.began] })
              alert = null
            }
            if (action.do === 'hold') {
              expect(held).toBeNull()
              held = { occurrence: action.occurrence, severity: action.severity, began: action.began }
            }
            if (action.do === 'change held') held = { ...held!, severity: action.severity }
            if (action.do === 'end held') held = null
            if (action.do === 'remediate') {
              expect(cover ?? alert ?? held ?? remediation).toBeNull()
              remediation = { severity: action.severity, began: action.began }
            }
            if (action.do === 'change remediation') remediation = { ...remediation!, severity: action.severity }
            if (action.do === 'end remediation') remediation = null
          }
          expect([alert, held, remediation].filter((outcome) => outcome !== null).length).toBeLessThanOrEqual(1)
          expect(settle({ ...now, alert, held, remediation, past: past.slice(0, 3) })).toEqual([])
        })
      }),
    )
  })

  it('whatever happens: each time that it fails is raised, held until it was well, or put right; it adds up', () => {
    const step = fc.record({
      level: fc.constantFrom<(Severity | null)[]>(null, 'warning', 'critical'),
      cover: fc.constantFrom<(number | null)[]>(null, null, 1, 2),
      watched: fc.constantFrom(true, true, true, false),
      mayRemediate: fc.boolean(),
      minutes: fc.integer({ min: 1, max: 40 }),
    })
    fc.assert(
      fc.property(fc.array(step, { maxLength: 60 }), (steps) => {
        let [alert, held, remediation]: [Situation['alert'], Situation['held'], Situation['remediation']] = [
          null,
          null,
          null,
        ]
        const past: { beganAt: number[] }[] = []
        let began: number | null = null
        let at = 0
        const books = { failed: 0, told: 0, heldUntilWell: 0, putRight: 0 }
        for (const { level, cover, watched, mayRemediate, minutes } of steps) {
          at += minutes * minute
          const isFailing = watched && level !== null
          if (isFailing && began === null) books.failed++
          began = isFailing ? (began ?? at) : null
          const standing = watched ? { level, began, evidence: null } : null
          const window = cover === null ? null : { id: cover, occurrence: cover }
          const actions: AlertAction[] = settle(
            situation({ standing, cover: window, alert, held, remediation, mayRemediate, past: past.slice(0, 3), at }),
          )
          for (const action of actions) {
            switch (action.do) {
              case 'raise':
              case 'flip':
                books.told++
                alert = open(action.severity, action.began, { flips: action.do === 'flip' ? action.beganAt : [] })
                break
              case 'fail again':
                books.told++
                alert = { ...alert!, wellSince: null }
                break
              case 'well':
                alert = { ...alert!, wellSince: at }
                break
              case 'change':
                alert = { ...alert!, severity: action.severity }
                break
              case 'close':
                if (action.because === 'cleared') past.unshift({ beganAt: [alert!.began] })
                alert = null
                break
              case 'hold':
                held = { occurrence: action.occurrence, severity: action.severity, began: action.began }
                break
              case 'end held':
                if (action.outcome === 'cleared' || action.outcome === 'unwatched') books.heldUntilWell++
                held = null
                break
              case 'remediate':
                remediation = { severity: action.severity, began: action.began }
                break
              case 'end remediation':
                if (action.outcome === 'cleared' || action.outcome === 'unwatched') books.putRight++
                remediation = null
                break
              case 'change held':
                held = { ...held!, severity: action.severity }
                break
              case 'change remediation':
                remediation = { ...remediation!, severity: action.severity }
                break
              case 'reopen':
                throw new Error('nobody closed anything')
            }
          }
          const underWay = [held, remediation].filter((each) => each !== null).length
          expect(books.told + books.heldUntilWell + books.putRight + underWay).toBe(books.failed)
        }
      }),
      { numRuns: 500 },
    )
  })
})
