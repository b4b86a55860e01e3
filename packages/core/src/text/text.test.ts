import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  ageText,
  bytesText,
  countText,
  durationText,
  lengthBetweenText,
  matchesPattern,
  parseBytes,
  parseDuration,
  percentText,
} from '.'

describe('a time of which the bounds are known', () => {
  const day = 86_400_000
  it.each([
    [6 * day, 9 * day, '6–9 days'],
    [7 * day, 7.2 * day, '7 days'],
    [0.9 * day, 1.9 * day, '22–46 hours'],
    [60_000, 3_600_000, '1–60 minutes'],
    [6 * day, Infinity, '6 to more than 400 days'],
    [500 * day, 600 * day, 'more than 400 days'],
  ])('from %d to %d: %s', (soonest, latest, expected) => {
    expect(lengthBetweenText(soonest, latest)).toBe(expected)
  })
})

describe('a pattern', () => {
  it('matches as the same pattern written as a regular expression does', () => {
    const part = fc.constantFrom('a', 'b', '*', '?', '.', '+')
    fc.assert(
      fc.property(
        fc.array(part, { maxLength: 8 }),
        fc.array(fc.constantFrom('a', 'b', '.', '+', 'A'), { maxLength: 10 }),
        (pattern, name) => {
          const expression = new RegExp(
            `^${pattern.map((sign) => (sign === '*' ? '[^]*' : sign === '?' ? '[^]' : sign.replace(/[.+]/g, '\\$&'))).join('')}$`,
            'i',
          )
          expect(matchesPattern(pattern.join(''), name.join(''))).toBe(expression.test(name.join('')))
        },
      ),
    )
  })
  it('cannot run away', () => {
    // As a regular expression with backtracking this would not end.
    expect(matchesPattern('*a'.repeat(100) + 'b', 'a'.repeat(5000))).toBe(false)
  })
})

describe('quantities', () => {
  it('read as people write them', () => {
    expect([900_000, 60_000, 90_000, 86_400_000, 7 * 86_400_000, 0].map(durationText)).toEqual([
      '15 min',
      '60 s',
      '90 s',
      '24 h',
      '7 days',
      '0 s',
    ])
    expect([20e9, 1.5e12, 999, 9.96e9].map(bytesText)).toEqual(['20 GB', '1.5 TB', '999 B', '10 GB'])
    expect([0.1, 0.031, 1].map(percentText)).toEqual(['10 %', '3.1 %', '100 %'])
    expect([20_000, 300_000, 11_520_000, 200_000_000].map(ageText)).toEqual(['20 s', '5 min', '3 h 12 min', '2 d'])
  })
  it('are counted in words', () => {
    expect([
      countText(0, 'device'),
      countText(1, 'device'),
      countText(12, 'device'),
      countText(1_234_567, 'device'),
      countText(2, 'has', 'have'),
    ]).toEqual(['0 devices', '1 device', '12 devices', '1,234,567 devices', '2 have'])
  })
  it('can be read back', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 5000 }),
        fc.constantFrom(1000, 60_000, 3_600_000, 86_400_000),
        (n, unit) => {
          expect(parseDuration(durationText(n * unit))).toBe(n * unit)
        },
      ),
    )
    expect(['1 h 01 min', '2h30min', '1 day 12 h'].map(parseDuration)).toEqual([3_660_000, 9_000_000, 129_600_000])
    expect(['', '5', '5 x', '1 h and', 'h 5'].map(parseDuration)).toEqual([null, null, null, null, null])
    expect(parseBytes('20 GB')).toBe(20e9)
    expect(parseBytes('20')).toBeNull()
  })
})
