import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { matchesLogFilter, patternOf, withoutNumbers } from '.'

describe('repeats of a log entry', () => {
  it.each([
    ['Accepted for jo from 192.0.2.7 port 50022', 'Accepted for jo from #.#.#.# port #'],
    ['link eth0 down', 'link eth# down'],
    ['4XyZ1Q2: sent', '#: sent'],
    ['container fa3b9c1d0e22 died', 'container # died'],
    ['session-c2.scope: Deactivated', 'session-c#.scope: Deactivated'],
    ['no numbers at all', 'no numbers at all'],
  ])('%s', (text, shape) => {
    expect(withoutNumbers(text)).toBe(shape)
  })
  it('are found by the pattern of any of them', () => {
    const any = { channel: '', source: '', id: null, level: '' as const }
    fc.assert(
      fc.property(fc.string({ maxLength: 60 }), (text) => {
        const event = { at: 0, channel: 'journal', source: 's', id: null, level: 'error' as const, text }
        expect(matchesLogFilter({ ...any, text: patternOf(text) }, event)).toBe(true)
      }),
    )
  })
})
