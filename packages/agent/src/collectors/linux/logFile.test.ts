import { appendFileSync, mkdtempSync, renameSync, rmSync, truncateSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import type { LogEvent } from '#core'
import { Keep, mostEvents } from '../keep'
import { readAppended, type Position } from './logFile'

let folder: string
let log: string
let position: Position | undefined
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'custode-log-'))
  log = join(folder, 'app.log')
  position = undefined
})
afterEach(() => rmSync(folder, { recursive: true }))

function look(): { lines: string[]; leftOut: number } {
  const lines: string[] = []
  const read = readAppended(log, position, (line) => lines.push(line))
  position = read.position
  return { lines, leftOut: read.leftOut }
}

describe('a log file', () => {
  it('is read on from where it was, and a line that is being written waits', () => {
    writeFileSync(log, 'one\ntwo\nhal')
    expect(look().lines).toEqual(['one', 'two'])
    appendFileSync(log, 'f\nthree\n')
    expect(look().lines).toEqual(['half', 'three'])
    expect(look().lines).toEqual([])
  })
  it('that was rotated is read to its end under its new name, its last line without an end too, and then its successor', () => {
    writeFileSync(log, 'one\n')
    look()
    appendFileSync(log, 'two\nlast words')
    renameSync(log, `${log}.1`)
    writeFileSync(log, 'three\n')
    expect(look().lines).toEqual(['two', 'last words', 'three'])
  })
  it('that was cut in place begins anew', () => {
    writeFileSync(log, 'one\ntwo\n')
    look()
    truncateSync(log)
    appendFileSync(log, 'x\n')
    expect(look().lines).toEqual(['x'])
  })
  it('with a line that never ends stops nothing: it is passed by and counted', () => {
    writeFileSync(log, 'one\n')
    look()
    appendFileSync(log, 'x'.repeat(700_000))
    expect(look().leftOut).toBe(1)
    appendFileSync(log, 'xxx\nbehind\n')
    expect(look().lines.at(-1)).toBe('behind')
  })
  it('of many megabytes is read piece by piece, look by look, with nothing left out', () => {
    writeFileSync(log, '')
    look()
    const line = `${'y'.repeat(99)}\n`
    writeFileSync(log, line.repeat(100_000))
    let count = 0
    for (let i = 0; i < 5; i++) count += look().lines.length
    expect(count).toBe(100_000)
  })
  it('never read before begins with its end', () => {
    writeFileSync(log, 'a line of some length\n'.repeat(1000))
    const { lines } = look()
    expect(lines.length).toBeGreaterThan(100)
    expect(lines.length).toBeLessThan(200)
  })
})

describe('of many entries', () => {
  it('the most urgent are kept, of these the newest, in their order; the rest is counted', () => {
    const keep = new Keep()
    const entry = (n: number, level: LogEvent['level']): LogEvent => ({
      at: n,
      channel: 'journal',
      source: 's',
      id: null,
      level,
      text: String(n),
    })
    for (let n = 0; n < 30_000; n++) keep.add(entry(n, n % 100 === 0 ? 'critical' : 'informational'))
    keep.skip(2)
    const { events, leftOut } = keep.take()
    expect([events.length, leftOut]).toEqual([mostEvents, 30_002 - mostEvents])
    expect(events.filter((event) => event.level === 'critical')).toHaveLength(300)
    expect(events.map((event) => event.at)).toEqual(events.map((event) => event.at).sort((a, b) => a - b))
    expect(events.at(-1)!.text).toBe('29999')
  })
  it('those that nobody wants are neither told nor missed, and take no room of others', () => {
    const keep = new Keep({ floors: [{ channel: 'journal', level: 'notice' }], watched: [] })
    for (let n = 0; n < 5000; n++)
      keep.add({
        ...{ at: n, channel: n % 100 ? 'journal' : 'System', source: 's', id: null, text: String(n) },
        level: n % 50 ? 'informational' : 'notice',
      })
    const { events, leftOut } = keep.take()
    expect([events.length, leftOut]).toEqual([100, 0])
  })
})
