import { expect, test } from 'vitest'
import { day, hour } from '../units'
import { onCallAt, rotationFault, turnsBetween, turnStarts, type Rotation } from './turns'

/** Mondays at 09:00 in Lisbon; the clocks go back on 25 October 2026 (directive 2000/84/EC). */
const weekly: Rotation = { starts: '2026-10-05T09:00:00', zone: 'Europe/Lisbon', rule: 'FREQ=WEEKLY', turns: [9, 7, 5] }
const [winter, summer] = [Date.UTC(2026, 9, 26, 9), Date.UTC(2026, 9, 19, 8)]
const starts = turnStarts(weekly, winter + 40 * day)

test('one after the other, from the same time on the clocks', () => {
  expect(turnsBetween(weekly.turns, starts, [], summer, winter + 7 * day)).toEqual([
    { person: 5, from: summer, until: winter, insteadOf: null },
    { person: 9, from: winter, until: winter + 7 * day, insteadOf: null },
  ])
  expect(onCallAt(weekly.turns, starts, [], winter - 1)).toBe(5)
  expect(onCallAt(weekly.turns, starts, [], winter)).toBe(9)
})

test('before the first turn it is nobody’s', () => {
  expect(onCallAt(weekly.turns, starts, [], Date.UTC(2026, 9, 5, 7, 59))).toBeNull()
  expect(onCallAt(weekly.turns, starts, [], Date.UTC(2026, 9, 5, 8))).toBe(9)
})

test('a swap takes its time out of whoever’s turn it is, and tells whose', () => {
  const swap = { person: 7, from: winter - 2 * hour, until: winter + day }
  expect(turnsBetween(weekly.turns, starts, [swap], winter - 3 * hour, winter + 2 * day)).toEqual([
    { person: 5, from: winter - 3 * hour, until: winter - 2 * hour, insteadOf: null },
    { person: 7, from: winter - 2 * hour, until: winter, insteadOf: 5 },
    { person: 7, from: winter, until: winter + day, insteadOf: 9 },
    { person: 9, from: winter + day, until: winter + 2 * day, insteadOf: null },
  ])
  // Of two that overlap the later one counts; who takes their own back stands for nobody.
  const back = { person: 9, from: winter, until: winter + hour }
  expect(turnsBetween(weekly.turns, starts, [swap, back], winter, winter + hour)).toEqual([
    { person: 9, from: winter, until: winter + hour, insteadOf: null },
  ])
})

test('turns change by any rule of RFC 5545 that is not too often', () => {
  expect(rotationFault(weekly)).toBeNull()
  expect(rotationFault({ ...weekly, rule: 'FREQ=MINUTELY' })).toBe('too-often')
  expect(rotationFault({ ...weekly, rule: 'WHENEVER' })).toBe('no-rule')
  expect(rotationFault({ ...weekly, zone: 'Harbour' })).toBe('no-zone')
})
