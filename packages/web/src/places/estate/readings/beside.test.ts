import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { day } from '#core'
import { besideOf, besideText, mostBeside, movedOn, type Beside } from './beside'
import { nameInAddress, namedInAddress } from './subjects'

const beside: fc.Arbitrary<Beside> = fc.oneof(
  fc.integer({ min: 1, max: 400 }).map((days): Beside => ({ of: 'earlier', back: days * day })),
  fc.integer({ min: 1, max: 1e6 }).map((id): Beside => ({ of: 'device', id })),
  fc
    .tuple(fc.constantFrom('disk.free', 'net.sent'), fc.string({ unit: 'grapheme' }))
    .map(([metric, instance]): Beside => ({ of: 'series', metric, instance })),
)

describe('what is laid over a series', () => {
  it('stands in the address, and comes back from it, whatever a disk is called', () =>
    fc.assert(
      fc.property(fc.array(beside, { maxLength: mostBeside }), (list) => {
        expect(besideOf(list.map(besideText).join(' '))).toEqual(list)
      }),
    ))
  it('is nothing where the address says nonsense', () =>
    expect(besideOf('-0d 1.5 cpu | |x %E0%A4%A net.sent|%E0%A4%A')).toEqual([]))
  it('lies where it would be now', () => {
    const series = {
      metric: 'cpu.busy',
      instance: '',
      points: [{ at: 5, min: 1, mean: 2, max: 3, count: 4 }],
      summary: null,
    }
    expect(movedOn(series, day).points[0]).toEqual({ at: 5 + day, min: 1, mean: 2, max: 3, count: 4 })
  })
})

describe('a series in the address', () => {
  it('comes back from it, with any instance; an unknown metric is none', () => {
    for (const instance of ['', '/var|x', 'C:', 'a b&c'])
      expect(namedInAddress(nameInAddress({ metric: 'disk.free', instance }))).toEqual({
        metric: 'disk.free',
        instance,
      })
    expect(namedInAddress('cpu.busy')).toEqual({ metric: 'cpu.busy', instance: '' })
    for (const wrong of ['constructor|', 'cpu.bzy|', '|', '', undefined, ['a']])
      expect(namedInAddress(wrong)).toBeNull()
  })
})
