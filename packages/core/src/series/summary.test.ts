import { describe, expect, it } from 'vitest'
import fc from 'fast-check'
import { max, mean, min, quantile as referenceQuantile } from 'simple-statistics'
import { hour, minute } from '../units'
import { hoursOf, pointsOf, pointsOfHours } from './hours'
import { metrics, readingFault, rounded, type MetricName } from './metrics'
import { quantile, summarise } from './summary'

const numbers = fc.array(
  fc.integer({ min: -1e9, max: 1e9 }).map((n) => n / 1000),
  { minLength: 1, maxLength: 200 },
)

describe('summary', () => {
  it('agrees with the reference library (simple-statistics)', () => {
    fc.assert(
      fc.property(numbers, fc.double({ min: 0, max: 1, noNaN: true }), (list, p) => {
        const sum = summarise(Float64Array.from(list))!
        expect(sum.min).toBe(min(list))
        expect(sum.max).toBe(max(list))
        expect(sum.last).toBe(list.at(-1))
        expect(sum.mean).toBeCloseTo(mean(list), 4)
        expect(
          quantile(
            [...list].sort((a, b) => a - b),
            p,
          ),
        ).toBeCloseTo(referenceQuantile(list, p), 4)
      }),
    )
  })
  it('has the example of its description', () => expect(quantile([1, 2, 3, 4], 0.5)).toBe(2.5))
  it('of nothing is nothing', () => expect(summarise(new Float64Array(0))).toBeNull())
})

describe('points', () => {
  it('keep the spikes and leave gaps as gaps', () => {
    const samples = { at: Float64Array.of(0, 5, 31), value: Float64Array.of(1, 9, 4) }
    expect(pointsOf(samples, 10)).toEqual([
      { at: 0, min: 1, mean: 5, max: 9, count: 2 },
      { at: 30, min: 4, mean: 4, max: 4, count: 1 },
    ])
  })
  it('of several hours are the same from hours as from the readings themselves', () => {
    const readings = fc.array(fc.tuple(fc.integer({ min: 0, max: 3000 }), fc.double({ min: 0, max: 1, noNaN: true })), {
      minLength: 1,
      maxLength: 300,
    })
    fc.assert(
      fc.property(readings, fc.integer({ min: 1, max: 30 }), (list, hours) => {
        const inOrder = [...new Map(list)].sort(([a], [b]) => a - b)
        const samples = {
          at: Float64Array.from(inOrder, ([at]) => at * minute),
          value: Float64Array.from(inOrder, ([, value]) => rounded('cpu.busy', value)),
        }
        const byReadings = pointsOf(samples, hours * hour)
        const byHours = pointsOfHours('cpu.busy', hoursOf('cpu.busy', samples), hours * hour)
        expect(byHours.map((point) => ({ ...point, mean: 0 }))).toEqual(
          byReadings.map((point) => ({ ...point, mean: 0 })),
        )
        byHours.forEach((point, i) => expect(point.mean).toBeCloseTo(byReadings[i]!.mean, 9))
      }),
    )
  })
})

describe('a reading', () => {
  it('is refused with a reason when it cannot be one', () => {
    expect(readingFault('cpu.buzy', '', 0.5)).toContain('no metric')
    expect(readingFault('cpu.busy', '', NaN)).toContain('finite')
    expect(readingFault('cpu.busy', '', 1.2)).toContain('outside')
    expect(readingFault('disk.free', '', 1)).toContain('needs an instance')
    expect(readingFault('disk.free', '/', 1)).toBeNull()
  })
  it('is kept to the resolution of its metric, and no other way when it is rounded again', () => {
    expect(rounded('cpu.busy', 0.02349)).toBe(0.023)
    expect(rounded('load.5', 1.005)).toBeCloseTo(1, 2)
    expect(rounded('disk.free', 10_000)).toBe(10_240)
    expect(Object.is(rounded('certificate.left', -0.2), 0)).toBe(true)
    fc.assert(
      fc.property(
        fc.constantFrom(...(Object.keys(metrics) as MetricName[])),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (metric, part) => {
          const { min: least, max: most, resolution } = metrics[metric]
          const reading = least + part * (most - least)
          const kept = rounded(metric, reading)
          expect(Math.abs(kept - reading)).toBeLessThanOrEqual(resolution / 2 + Math.abs(reading) * 1e-15)
          expect(rounded(metric, kept)).toBe(kept)
        },
      ),
    )
  })
})
