import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { cutIntoWaves, goesAt, nextTurn, type MachineState, type WaveMachine } from '..'

const machines = (...waves: string[]): WaveMachine[] => {
  const states: Record<string, MachineState> = { w: 'waiting', g: 'going', i: 'installed', f: 'failed' }
  let n = 0
  return waves.flatMap((wave, i) => [...wave].map((letter) => ({ n: ++n, wave: i + 1, state: states[letter]! })))
}
const rules = (wave: number, more: object = {}) => ({ wave, waves: 3, mostFailed: 0.2, atOnce: 4, ...more })

describe('a run of waves', () => {
  it('goes to the machines of its wave, a few at once', () => {
    expect(nextTurn(machines('ww', 'wwwwww'), rules(1))).toEqual({ turn: 'go', machines: [1, 2] })
    expect(nextTurn(machines('ii', 'gwwwww'), rules(2))).toEqual({ turn: 'go', machines: [4, 5, 6] })
    expect(nextTurn(machines('ii', 'ggggww'), rules(2))).toEqual({ turn: 'wait' })
    expect(nextTurn(machines('gi', 'wwwwww'), rules(1))).toEqual({ turn: 'wait' })
  })
  it('begins the next wave when at most so many failed, and pauses when more did', () => {
    expect(nextTurn(machines('iiiif', 'ww'), rules(1))).toEqual({ turn: 'next wave', wave: 2 })
    expect(nextTurn(machines('iiiff', 'ww'), rules(1))).toMatchObject({
      turn: 'pause',
      reason: expect.stringContaining('2 of 5 machines of wave 1 failed, more than 20 %') as string,
    })
    expect(nextTurn(machines('if', 'ww'), rules(1, { mostFailed: 0.5 }))).toEqual({ turn: 'next wave', wave: 2 })
    expect(nextTurn(machines('f', 'ww'), rules(1, { mostFailed: 1 }))).toEqual({ turn: 'next wave', wave: 2 })
  })
  it('is done after the last wave, whatever failed in it', () => {
    expect(nextTurn(machines('i', 'i', 'ff'), rules(3))).toEqual({ turn: 'done' })
  })
  it('comes to an end, each machine once, whatever happens to them', () => {
    fc.assert(
      fc.property(
        fc.array(fc.boolean(), { maxLength: 30 }),
        fc.array(fc.integer({ min: 1, max: 5 }), { maxLength: 3 }),
        fc.integer({ min: 1, max: 5 }),
        (well, sizes, atOnce) => {
          const waves = cutIntoWaves(well.length, sizes)
          const all: WaveMachine[] = waves.map((wave, n) => ({ n, wave, state: 'waiting' }))
          const gone: number[] = []
          let wave = 1
          for (let i = 0; i < 200; i++) {
            const turn = nextTurn(all, { wave, waves: Math.max(1, ...waves), mostFailed: 1, atOnce })
            if (turn.turn === 'done') break
            if (turn.turn === 'next wave') wave = turn.wave
            if (turn.turn === 'go')
              for (const n of turn.machines) {
                gone.push(n)
                all[n] = { ...all[n]!, state: well[n] ? 'installed' : 'failed' }
              }
          }
          expect([...gone].sort((a, b) => a - b)).toEqual(well.map((_, n) => n))
          expect(gone.map((n) => waves[n]!)).toEqual([...waves].sort((a, b) => a - b))
        },
      ),
    )
  })
})

describe('waves', () => {
  it('are cut by their sizes; the rest is the last', () => {
    expect([cutIntoWaves(6, [1, 2]), cutIntoWaves(2, [5]), cutIntoWaves(3, []), cutIntoWaves(0, [2])]).toEqual([
      [1, 2, 2, 3, 3, 3],
      [1, 1],
      [1, 1, 1],
      [],
    ])
  })
  it('keep to allowed hours, over midnight too', () => {
    // In winter Lisbon's clocks show UTC.
    const at = (hour: number) => Date.UTC(2026, 0, 14, hour)
    expect([8, 17, 18, 3].map((hour) => goesAt(8, 18, at(hour), 'Europe/Lisbon'))).toEqual([true, true, false, false])
    expect([21, 22, 3, 6].map((hour) => goesAt(22, 6, at(hour), 'Europe/Lisbon'))).toEqual([false, true, true, false])
    // Vienna is an hour ahead.
    expect([7, 17].map((hour) => goesAt(8, 18, at(hour), 'Europe/Vienna'))).toEqual([true, false])
    expect(goesAt(null, null, at(12), 'Europe/Lisbon')).toBe(true)
  })
})
