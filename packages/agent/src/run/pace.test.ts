import { describe, expect, it } from 'vitest'
import type { Collector } from '#core'
import { Turns, type Pacing } from './pace'

/** Which of the collectors run at which report, reports going out as often as they have to. */
function reports(pacing: Pacing, seconds: number, of: Collector[] = ['performance', 'disks', 'eventlog']): string[] {
  const turns = new Turns()
  const seen: string[] = []
  for (let at = 0; at < seconds * 1000; at += Turns.tick(pacing))
    seen.push(`${at / 1000}: ${of.filter((collector) => turns.take(collector, at, pacing)).join(' ')}`)
  return seen
}

describe('whose turn it is', () => {
  it('without a word everybody’s, once an interval', () => {
    expect(reports({ interval: 60_000 }, 180)).toEqual([
      '0: performance disks eventlog',
      '60: performance disks eventlog',
      '120: performance disks eventlog',
    ])
  })
  it('a collector that may rest rests; reports go out all the same', () => {
    expect(reports({ interval: 60_000, every: { disks: 180_000 } }, 240)).toEqual([
      '0: performance disks eventlog',
      '60: performance eventlog',
      '120: performance eventlog',
      '180: performance disks eventlog',
    ])
  })
  it('one that is wanted more often runs alone between the others', () => {
    expect(reports({ interval: 60_000, every: { performance: 20_000 } }, 80)).toEqual([
      '0: performance disks eventlog',
      '20: performance',
      '40: performance',
      '60: performance disks eventlog',
    ])
  })
  it('everybody’s, when everything is to be read anew', () => {
    const turns = new Turns()
    const pacing = { interval: 60_000, every: { disks: 600_000 } }
    const of = (at: number) => (['performance', 'disks'] as const).filter((name) => turns.take(name, at, pacing))
    expect([of(0), of(60_000)]).toEqual([['performance', 'disks'], ['performance']])
    turns.forgetAll()
    expect([of(61_000), of(121_000)]).toEqual([['performance', 'disks'], ['performance']])
  })
  it('a report that comes a moment early or late does not cost a turn', () => {
    const turns = new Turns()
    const pacing = { interval: 60_000 }
    expect([0, 59_400, 120_300, 179_900].map((at) => turns.take('disks', at, pacing))).toEqual([true, true, true, true])
  })
  it('a clock that was set back does not silence it', () => {
    const turns = new Turns()
    turns.take('disks', 10_000_000, { interval: 60_000 })
    expect(turns.take('disks', 5_000, { interval: 60_000 })).toBe(true)
  })
})
