import { expect, it } from 'vitest'
import { hidingTimes } from './hiding'

const at = (text: string) =>
  hidingTimes(new Date(text)).map((time) => [time.text, new Date(time.at).toString().slice(0, 21)])

it('until when an alert is hidden, on one’s own clocks', () => {
  expect(at('2026-11-25T10:20:00')).toEqual([
    ['for an hour', 'Wed Nov 25 2026 11:20'],
    ['for four hours', 'Wed Nov 25 2026 14:20'],
    ['until 17:00', 'Wed Nov 25 2026 17:00'],
    ['until tomorrow at 8', 'Thu Nov 26 2026 08:00'],
    ['until Monday at 8', 'Mon Nov 30 2026 08:00'],
  ])
  // On a Monday the next one is meant, and in the evening the day is over.
  expect(at('2026-11-30T18:00:00').slice(2)).toEqual([
    ['until tomorrow at 8', 'Tue Dec 01 2026 08:00'],
    ['until Monday at 8', 'Mon Dec 07 2026 08:00'],
  ])
})
