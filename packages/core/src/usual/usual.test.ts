import { DateTime } from 'luxon'
import { median } from 'simple-statistics'
import { describe, expect, it } from 'vitest'
import {
  demandSeries,
  faults,
  hoursOfSeries,
  judged,
  madeSeries,
  outcomeOf,
  planted,
  zoneOfMade,
} from '../testing/usual'
import { day, hour, type Millis } from '../units'
import { daysToGo, expectedOver, learnUsual, type HourOfUsual, type Usual } from './index'

const zone = 'Europe/Lisbon'
/** A Monday; clocks are set back on the 25th. */
const from = Date.UTC(2026, 9, 4, 23)
/** Hours of a house that works from 9 to 17 on working days, with a little of everything. */
const hours = (days: number, valueAt: (local: DateTime, at: Millis) => number | null): HourOfUsual[] =>
  Array.from({ length: days * 24 }, (_, i) => from + i * hour).flatMap((at) => {
    const mean = valueAt(DateTime.fromMillis(at, { zone }), at)
    return mean === null ? [] : [{ at, mean, count: 12 }]
  })
const wobble = (at: Millis) => (((at / hour) * 7919) % 13) / 100
const works = (local: DateTime) => local.weekday < 6 && local.hour >= 9 && local.hour < 17
const house = (local: DateTime, at: Millis) => (works(local) ? 0.5 : 0.1) + wobble(at)
const learn = (days: number, valueAt: (local: DateTime, at: Millis) => number | null, more = {}) =>
  learnUsual(hours(days, valueAt), zone, { least: 0.01, ...more })!
const at = (text: string) => DateTime.fromISO(text, { zone }).toMillis()
const usualAt = (usual: Usual, text: string) => expectedOver(usual, at(text), at(text) + hour)?.middle ?? null

describe('what is usual at an hour of the week', () => {
  it('is the median of that hour of all weeks, on the clocks of the site, over the night in which they are changed', () => {
    const usual = learn(42, house)
    const tuesday = hours(42, house).filter((each) => {
      const local = DateTime.fromMillis(each.at, { zone })
      return local.weekday === 2 && local.hour === 10
    })
    expect(tuesday).toHaveLength(6)
    expect(usualAt(usual, '2026-11-17T10:00')).toBeCloseTo(median(tuesday.map(({ mean }) => mean)), 6)
    expect(usualAt(usual, '2026-11-17T16:00')).toBeGreaterThan(0.5)
    expect(usualAt(usual, '2026-11-17T18:00')).toBeLessThan(0.25)
    expect(usualAt(usual, '2026-11-21T10:00')).toBeLessThan(0.25)
  })
  it('between two hours it goes from one to the other', () => {
    const usual = learn(42, house)
    const between = expectedOver(usual, at('2026-11-17T08:30'), at('2026-11-17T09:30'))!
    expect(between.middle).toBeGreaterThan(0.25)
    expect(between.middle).toBeLessThan(0.45)
  })
  it('a holiday changes nothing, and is named', () => {
    const isHoliday = (local: DateTime) => local.toISODate() === '2026-10-29'
    const usual = learn(42, (local, time) => (isHoliday(local) && works(local) ? 0.1 : house(local, time)))
    expect(usual.oddDays.map((time) => DateTime.fromMillis(time, { zone }).toISODate())).toEqual(['2026-10-29'])
    const plain = learn(42, house)
    const [with_, without] = [usual, plain].map((one) =>
      expectedOver(one, at('2026-11-12T11:00'), at('2026-11-12T12:00'))!,
    )
    expect(with_!.middle).toBeCloseTo(without!.middle, 1)
    expect(with_!.spread).toBeLessThan(2 * without!.spread)
  })
  it('what somebody was told of teaches nothing', () => {
    // Every Monday morning of the last three weeks something ran wild.
    const wild = (local: DateTime, time: Millis) =>
      local.weekday === 1 && local.hour === 3 && time > at('2026-10-26T00:00') ? 0.9 : house(local, time)
    const leftOut = ['2026-10-26', '2026-11-02', '2026-11-09'].map((date) => ({
      from: at(`${date}T03:00`),
      until: at(`${date}T04:00`),
    }))
    expect(usualAt(learn(42, wild, { leftOut }), '2026-11-16T03:00')).toBeLessThan(0.25)
    expect(usualAt(learn(42, wild), '2026-11-16T03:00')).toBeGreaterThan(0.25)
  })
  it('what was told of all the time teaches in the end, and nothing fails', () => {
    const always = learn(42, house, { leftOut: [{ from: from - day, until: from + 50 * day }] })
    expect(usualAt(always, '2026-11-17T10:00')).toBeGreaterThan(0.5)
    const young = learn(10, house, { leftOut: [{ from: from - day, until: from + 50 * day }] })
    expect(usualAt(young, '2026-10-12T10:00')).toBeGreaterThan(0.5)
  })
  it('hours of few readings count where all of their day have few; one among many is only a part of one', () => {
    const paced = hours(42, house).map((each, i) => ({ ...each, count: i < 24 * 21 ? 2 : 60 }))
    expect(learnUsual(paced, zone, { least: 0.01 })!.days).toBe(42)
    const part = hours(42, (local, at) => (local.weekday === 2 && local.hour === 10 ? 0.9 : house(local, at)))
    const cut = part.map((each) => ({ ...each, count: each.mean === 0.9 ? 3 : 60 }))
    expect(usualAt(learnUsual(cut, zone, { least: 0.01 })!, '2026-11-17T10:00')).toBeLessThan(0.7)
  })
  it('what stays different for two weeks is what is usual, from its first day on; for ten days it is not', () => {
    const since = (date: string) => (local: DateTime, time: Millis) => house(local, time) + (time >= at(date) ? 0.3 : 0)
    const moved = learn(42, since('2026-11-02T00:00'))
    expect(DateTime.fromMillis(moved.beganAnew!, { zone }).toISODate()).toBe('2026-11-02')
    expect(usualAt(moved, '2026-11-17T20:00')).toBeGreaterThan(0.4)
    expect([moved.days, daysToGo(moved, 21 * day), daysToGo(moved, 14 * day)]).toEqual([14, 7, 0])
    const stays = learn(42, since('2026-11-06T00:00'))
    expect(stays.beganAnew).toBeNull()
    expect(usualAt(stays, '2026-11-17T20:00')).toBeLessThan(0.3)
  })
  it('is learned anew from when somebody said so, and of nothing nothing is known', () => {
    const anew = learn(42, house, { anew: at('2026-11-06T12:00') })
    expect([anew.from, anew.beganAnew, anew.days]).toEqual([at('2026-11-06T12:00'), at('2026-11-06T12:00'), 10])
    expect(learnUsual([], zone, { least: 1 })).toBeNull()
    expect(learnUsual(hours(42, house), zone, { least: 1, anew: at('2027-01-01T00:00') })).toBeNull()
  })
  it('an hour that was there once is judged by that hour of other days, one that never was not at all', () => {
    // Off at night, and on a Saturday once.
    const usual = learn(28, (local, time) =>
      local.hour < 7 || (local.weekday > 5 && local.toISODate() !== '2026-10-10') ? null : house(local, time),
    )
    expect(usualAt(usual, '2026-11-03T11:00')).toBeGreaterThan(0.5)
    expect(usualAt(usual, '2026-11-03T03:00')).toBeNull()
    expect(usualAt(usual, '2026-11-07T11:00')).toBeNull()
  })
  it('where nothing ever changes, a difference that is none is the least that counts', () => {
    const usual = learn(42, () => 0.2, { least: 0.02 })
    expect(expectedOver(usual, at('2026-11-17T10:00'), at('2026-11-17T11:00'))).toEqual({
      middle: Math.fround(0.2),
      spread: Math.fround(0.02),
    })
  })
})

describe('on a real series, and on made ones', () => {
  const loop = faults[0]!
  it('electricity demand over seven weeks: nothing is told, and what is planted is found', () => {
    const series = demandSeries()
    expect(judged(series, 'Europe/London', { sensitivity: 'medium' })).toEqual([])
    const twice = planted(
      series,
      faults.find(({ name }) => name === 'half as much again')!,
      1,
    )
    const outcome = outcomeOf(series, judged(twice.series, 'Europe/London', { sensitivity: 'medium' }), twice.faults)
    expect([outcome.found, outcome.falseAlarms]).toEqual([outcome.planted, 0])
    expect(outcome.planted).toBeGreaterThanOrEqual(5)
  })
  it.each(madeSeries.map((series) => [series.name, series] as const))(
    '%s: a program in a loop at night is found each time, and one false word is told in a month at most',
    (_, series) => {
      const plain = outcomeOf(series, judged(series, zoneOfMade, {}), [])
      expect(plain.falseAlarms).toBeLessThanOrEqual(2)
      const wild = planted(series, loop, 1)
      const { found, planted: all } = outcomeOf(series, judged(wild.series, zoneOfMade, {}), wild.faults)
      expect(found).toBe(all)
    },
  )
  it('hours of a series are those of its readings', () => {
    const [first] = hoursOfSeries(demandSeries())
    expect(first!.count).toBe(2)
    expect(first!.mean).toBeCloseTo((22262e3 + 21756e3) / 2, -2)
  })
})
