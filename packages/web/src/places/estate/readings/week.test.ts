import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { hoursOfWeek } from '#core'
import { cellsBetween, hoursOfText, hoursText, hoursTitle, weeksOf } from './week'

const cell = fc.nat(hoursOfWeek - 1)

describe('hours of the week', () => {
  it('are called by their day', () => {
    expect(hoursTitle({ first: 32, last: 35 })).toBe('Tuesdays from 08:00 to 11:00')
    expect(hoursTitle({ first: 23, last: 24 })).toBe('Mondays from 23:00 to 24:00')
    expect(hoursTitle({ first: 23, last: 26 })).toBe('Mondays from 23:00 to Tuesday 02:00')
    expect(hoursTitle({ first: 160, last: 168 })).toBe('Sundays from 16:00 to 24:00')
  })
  it('are drawn along one day, in either direction, and come back from the address', () =>
    fc.assert(
      fc.property(cell, cell, (begun, at) => {
        const hours = cellsBetween(begun, at)
        expect(hours.first).toBeLessThanOrEqual(begun)
        expect(hours.last).toBeGreaterThan(begun)
        expect(Math.floor((hours.last - 1) / 24)).toBe(Math.floor(hours.first / 24))
        expect(hoursOfText(hoursText(hours))).toEqual(hours)
      }),
    ))
  it('are none where the address says nonsense', () => {
    for (const text of ['', '5', '5-5', '8-3', '160-169', '-1-4', 'a-b']) expect(hoursOfText(text)).toBeNull()
  })
})

describe('weeks', () => {
  it('lie beside each other, with holes where nothing was read', () => {
    const moment = { from: 0, until: 0, count: 1, min: 0, max: 9 }
    const weeks = weeksOf([
      { ...moment, week: 11, cell: 3, mean: 4 },
      { ...moment, week: 4, cell: 0, mean: 1 },
      { ...moment, week: 11, cell: 4, mean: 5 },
    ])
    expect(weeks.map(({ week }) => week)).toEqual([4, 11])
    expect(weeks[1]!.means.slice(2, 6)).toEqual([null, 4, 5, null])
  })
})
