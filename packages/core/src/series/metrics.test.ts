import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { parseReading, readingText, type Unit } from './metrics'

describe('a value that somebody types', () => {
  it.each([
    ['ratio', '80 %', 0.8],
    ['ratio', '7.5', 0.075],
    ['bytes', '10 GB', 1e10],
    ['bytes', ' 512 kb ', 512_000],
    ['bytes/s', '2 MB/s', 2e6],
    ['bytes/s', '2 MB', 2e6],
    ['seconds', '14 days', 14 * 86_400],
    ['count', '12', 12],
    ['per core', '1.5', 1.5],
    ['per s', '2.5 a second', 2.5],
    ['per s', '4/s', 4],
    ['ms', '20 ms', 20],
    ['°C', '81.5', 81.5],
    ['°C', '80 °C', 80],
  ] as [Unit, string, number][])('%s: “%s” is %d', (unit, text, value) => expect(parseReading(unit, text)).toBe(value))
  it.each([
    ['ratio', ''],
    ['ratio', 'much'],
    ['bytes', '10'],
    ['bytes', '-1 GB'],
    ['seconds', '14'],
    ['count', '1e9999'],
    ['per core', 'NaN'],
    ['ms', '20 s'],
  ] as [Unit, string][])('%s: “%s” is none', (unit, text) => expect(parseReading(unit, text)).toBeNull())
  it('is understood as it is shown', () =>
    fc.assert(
      fc.property(
        fc.constantFrom<Unit>('ratio', 'bytes', 'bytes/s', 'seconds', 'count', 'per s', 'ms', '°C', 'per core'),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (unit, part) => {
          const most = {
            ratio: 1,
            bytes: 9e14,
            'bytes/s': 1e11,
            seconds: 4e7,
            count: 1e6,
            'per s': 1e6,
            ms: 1e5,
            '°C': 120,
            'per core': 200,
          }[unit]
          const text = readingText(unit, part * most)
          expect(readingText(unit, parseReading(unit, text)!)).toBe(text)
        },
      ),
    ))
})
