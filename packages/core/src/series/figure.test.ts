import { array, assert, integer, oneof, property } from 'fast-check'
import { expect, it } from 'vitest'
import { day, minute } from '../units'
import { dayFigure } from './figure'
import { addHour, hoursOf, noHours } from './hours'
import type { Week } from './packed'
import { emptySketch, mergeSketch, sketchOf, sketchQuantile } from './sketch'

/** Readings of days, as many as there are, summed up. */
function weekOf(days: readonly (readonly number[])[]): Week {
  const week: Week = { hours: noHours(), days: new Map() }
  days.forEach((values, index) => {
    if (!values.length) return
    const samples = {
      at: Float64Array.from(values, (_, i) => index * day + i * 7 * minute),
      value: Float64Array.from(values),
    }
    const hours = hoursOf('disk.free', samples)
    for (let i = 0; i < hours.hour.length; i++) addHour(week.hours, hours, i)
    week.days.set(index, sketchOf(samples.value))
  })
  return week
}

it('percentiles of days together lie between what their days say, however many values each has', () => {
  const value = oneof(integer({ min: 0, max: 4 }), integer({ min: 1, max: 1e9 })).map((n) => n * 1024)
  assert(
    property(array(array(value, { maxLength: 45 }), { minLength: 1, maxLength: 7 }), (days) => {
      const week = weekOf(days)
      const figures = days.flatMap((_, index) => dayFigure(week, index) ?? [])
      expect(figures).toHaveLength(days.filter((values) => values.length).length)
      if (!figures.length) return
      const all = emptySketch()
      for (const sketch of week.days.values()) mergeSketch(all, sketch)
      expect(Math.min(...figures.map(({ low }) => low))).toBeLessThanOrEqual(sketchQuantile(all, 0.05))
      expect(Math.max(...figures.map(({ high }) => high))).toBeGreaterThanOrEqual(sketchQuantile(all, 0.95))
      const values = days.flat().map((each) => each / 1024)
      expect(figures.reduce((sum, figure) => sum + figure.sum, 0)).toBe(values.reduce((a, b) => a + b, 0))
      expect(figures.reduce((sum, figure) => sum + figure.count, 0)).toBe(values.length)
      expect(Math.min(...figures.map(({ min }) => min))).toBe(Math.min(...values))
      expect(Math.max(...figures.map(({ max }) => max))).toBe(Math.max(...values))
    }),
    { numRuns: 2000 },
  )
})
