import { expect, it } from 'vitest'
import { sinceTimes } from './sinceTimes'

const at = (now: string, name: string) => new Date(sinceTimes(new Date(now)).find((time) => time.name === name)!.at)

it.each([
  // A Monday, a Saturday, a Friday, and a month that begins.
  ['2026-11-30T08:00:00', 'friday', '2026-11-27T18:00:00'],
  ['2026-11-28T08:00:00', 'friday', '2026-11-27T18:00:00'],
  ['2026-11-27T08:00:00', 'friday', '2026-11-20T18:00:00'],
  ['2026-12-01T08:00:00', 'evening', '2026-11-30T18:00:00'],
  ['2026-12-01T08:00:00', '8h', '2026-12-01T00:00:00'],
])('as of %s, %s is %s', (now, name, expected) => {
  expect(at(now, name)).toEqual(new Date(expected))
})
it('none of them is to come', () => {
  const now = new Date('2026-11-28T00:01:00')
  expect(sinceTimes(now).filter((time) => time.at >= now.getTime())).toEqual([])
})
