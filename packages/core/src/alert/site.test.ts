import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { minute } from '../units'
import { fallsTogether, siteSilence, type SiteAgent } from './site'

const at = Date.parse('2026-11-02T10:00:00Z')
const agent = (minutes: number, isQuiet: boolean, more: Partial<SiteAgent> = {}): SiteAgent => ({
  heardAt: at + minutes * minute,
  isQuiet,
  isAlerting: isQuiet,
  isHeld: false,
  ...more,
})
const many = (count: number, each: (i: number) => SiteAgent) => Array.from({ length: count }, (_, i) => each(i))

describe('the silence of a site', () => {
  it('is told when most of its agents fell silent within ten minutes', () => {
    expect(siteSilence([...many(5, (i) => agent(i, true)), ...many(3, () => agent(60, false))], null)).toEqual({
      began: at,
      silent: 5,
      of: 8,
    })
  })
  it('is not told of half of them, of two, or of those that went one by one', () => {
    expect(siteSilence([...many(4, (i) => agent(i, true)), ...many(4, () => agent(60, false))], null)).toBeNull()
    expect(
      siteSilence(
        many(2, (i) => agent(i, true)),
        null,
      ),
    ).toBeNull()
    expect(siteSilence([...many(3, (i) => agent(i * 11, true)), ...many(9, () => agent(60, false))], null)).toBeNull()
  })
  it('is not hidden by workstations that were switched off before, nor by those that nobody is told of', () => {
    const off = many(20, (i) => agent(-300 + i * 11, true, { isAlerting: false }))
    expect(siteSilence([...off, ...many(4, () => agent(0, true))], null)).toEqual({ began: at, silent: 4, of: 4 })
    const untold = many(6, () => agent(2, true, { isAlerting: false }))
    expect(siteSilence([...untold, ...many(2, () => agent(0, true))], null)).toBeNull()
    expect(siteSilence([...untold, ...many(3, () => agent(0, true))], null)).toMatchObject({ silent: 9, of: 9 })
  })
  it('leaves out those that a window holds, and those never heard', () => {
    const held = many(9, () => agent(0, true, { isHeld: true, isAlerting: false }))
    const never: SiteAgent = { heardAt: null, isQuiet: false, isAlerting: false, isHeld: false }
    expect(siteSilence([...held, never, ...many(3, () => agent(0, true)), agent(60, false)], null)).toMatchObject({
      silent: 3,
      of: 4,
    })
    expect(siteSilence(held, null)).toBeNull()
  })
  it('stands until no more than a quarter is silent', () => {
    const back = (silent: number) => many(8, (i) => (i < silent ? agent(0, true) : agent(90, false)))
    expect(siteSilence(back(3), at)).toEqual({ began: at, silent: 3, of: 8 })
    expect(siteSilence(back(2), at)).toBeNull()
  })
  it('is that of the largest group, of whichever the first agent is any', () => {
    const times = fc.array(
      fc.record({
        heardAt: fc.option(fc.integer({ min: 0, max: 60 }).map((minutes) => at + minutes * minute)),
        isQuiet: fc.boolean(),
        isAlerting: fc.boolean(),
        isHeld: fc.boolean(),
      }),
      { maxLength: 14 },
    )
    fc.assert(
      fc.property(times, (drawn) => {
        const agents = drawn.map((each) => ({ ...each, isAlerting: each.isAlerting && each.isQuiet }))
        const known = agents.filter((each) => each.heardAt !== null && !each.isHeld)
        const groups = known
          .filter(({ isQuiet }) => isQuiet)
          .map(({ heardAt: began }) => {
            const within = known.filter(({ heardAt }) => heardAt! >= began! && heardAt! <= began! + fallsTogether)
            return {
              silent: within.filter(({ isQuiet }) => isQuiet).length,
              alerting: within.filter(({ isAlerting }) => isAlerting).length,
              of: known.filter(({ heardAt }) => heardAt! >= began!).length,
            }
          })
          .filter(({ silent, alerting, of }) => alerting >= 3 && silent > of / 2)
        expect(siteSilence(agents, null)?.silent ?? 0).toBe(Math.max(0, ...groups.map(({ silent }) => silent)))
      }),
    )
  })
})
