import {
  appendFileSync,
  copyFileSync,
  existsSync,
  mkdtempSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  symlinkSync,
  truncateSync,
  utimesSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { day, second, type LogEvent } from '#core'
import { Keep, mostEvents } from '../../keep'
import { readAppended } from './logFile'
import type { Position } from './rotated'

let folder: string
let log: string
let position: Position | undefined
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'custode-log-'))
  log = join(folder, 'app.log')
  position = undefined
})
afterEach(() => rmSync(folder, { recursive: true }))

async function look(): Promise<{ lines: string[]; leftOut: number }> {
  const lines: string[] = []
  const read = await readAppended(log, position, (line) => lines.push(line))
  position = read.position
  return { lines, leftOut: read.leftOut }
}

/** As logrotate(8) does: .1 becomes .2, and so on. */
function rotate(): void {
  for (let generation = 8; generation >= 0; generation--) {
    const name = generation === 0 ? log : `${log}.${generation}`
    if (existsSync(name)) renameSync(name, `${log}.${generation + 1}`)
  }
  // What is written now is of a later time: clocks of files go in steps of some milliseconds.
  const clock = join(folder, 'clock')
  do writeFileSync(clock, '')
  while (statSync(clock).mtimeMs <= statSync(`${log}.1`).mtimeMs)
}

/** As gzip(1) does: the packed file is of the same time. */
function pack(generation: number): void {
  const name = `${log}.${generation}`
  const { atimeMs, mtimeMs } = statSync(name)
  writeFileSync(`${name}.gz`, gzipSync(readFileSync(name)))
  utimesSync(`${name}.gz`, atimeMs / second, mtimeMs / second)
  rmSync(name)
}

describe('a log file', () => {
  it('is read on from where it was, and a line that is being written waits', async () => {
    writeFileSync(log, 'one\ntwo\nhal')
    expect((await look()).lines).toEqual(['one', 'two'])
    appendFileSync(log, 'f\nthree\n')
    expect((await look()).lines).toEqual(['half', 'three'])
    expect((await look()).lines).toEqual([])
  })
  it('that was rotated is read to its end under its new name, its last line without an end too, and then its successor', async () => {
    writeFileSync(log, 'one\n')
    await look()
    appendFileSync(log, 'two\nlast words')
    renameSync(log, `${log}.1`)
    writeFileSync(log, 'three\n')
    expect((await look()).lines).toEqual(['two', 'last words', 'three'])
  })
  it('that was rotated several times since is read whole: what came and went between, too', async () => {
    writeFileSync(log, 'one\n')
    await look()
    appendFileSync(log, 'two\n')
    rotate()
    appendFileSync(log, 'three\n')
    rotate()
    appendFileSync(log, 'four\n')
    rotate()
    writeFileSync(log, 'five\n')
    expect((await look()).lines).toEqual(['two', 'three', 'four', 'five'])
    appendFileSync(log, 'six\n')
    expect((await look()).lines).toEqual(['six'])
  })
  it('whose file that was read is packed by now, or gone: what came after it is read', async () => {
    writeFileSync(log, 'one\n')
    await look()
    rotate()
    appendFileSync(log, 'two\n')
    rotate()
    rmSync(`${log}.2`)
    writeFileSync(`${log}.2.gz`, 'packed\n')
    writeFileSync(log, 'three\n')
    expect((await look()).lines).toEqual(['two', 'three'])
  })
  it('that was packed since is read on in the packed file, and so are those that came after it', async () => {
    writeFileSync(log, 'one\n')
    await look()
    appendFileSync(log, 'two\n')
    rotate()
    writeFileSync(log, 'three\n')
    rotate()
    for (const generation of [1, 2]) pack(generation)
    writeFileSync(log, 'four\n')
    expect((await look()).lines).toEqual(['two', 'three', 'four'])
    expect((await look()).lines).toEqual([])
  })
  it('that is being packed this moment is read once', async () => {
    writeFileSync(log, 'one\n')
    await look()
    appendFileSync(log, 'two\n')
    rotate()
    writeFileSync(`${log}.1.gz`, gzipSync('one\ntwo\n').subarray(0, 12))
    writeFileSync(log, 'three\n')
    expect((await look()).lines).toEqual(['two', 'three'])
  })
  it('whose packed file is broken, or holds far more than one look reads, stops nothing; what is left out is counted', async () => {
    writeFileSync(log, 'one\n')
    await look()
    writeFileSync(`${log}.2.gz`, 'no gzip')
    writeFileSync(`${log}.1.gz`, gzipSync(`${'y'.repeat(99)}\n`.repeat(100_000) + 'x'.repeat(300_000)))
    writeFileSync(log, 'n\n')
    const { lines, leftOut } = await look()
    expect(lines.length + leftOut).toBe(100_001)
    expect(lines.length).toBeGreaterThan(40_000)
    expect((await look()).lines).toEqual(['n'])
  })
  it('that was rotated to names with dates, before its ending, too, is read in their order', async () => {
    for (const names of [
      ['app.log-20261230', 'app.log-20261231', 'app.log-20270101'],
      ['app-2026-12-30.log', 'app-2026-12-31.log', 'app-2027-01-01-06.log'],
    ]) {
      writeFileSync(log, 'one\n')
      position = undefined
      await look()
      for (const name of names) {
        writeFileSync(log, `${name}\n`, { flag: 'a' })
        renameSync(log, join(folder, name))
      }
      // What is older by its name is so, whenever it was written.
      writeFileSync(join(folder, `${names[0]!.slice(0, 3)}.log-20261101`), 'older\n')
      writeFileSync(log, 'last\n')
      expect((await look()).lines).toEqual([...names, 'last'])
      for (const name of names) rmSync(join(folder, name))
    }
  })
  it('that counts its files upwards is not read again', async () => {
    for (const generation of [1, 2]) {
      writeFileSync(`${log}.${generation}`, `of ${generation}\n`)
      utimesSync(`${log}.${generation}`, new Date(), new Date(Date.now() - day / generation))
    }
    writeFileSync(log, 'one\n')
    await look()
    appendFileSync(log, 'two\n')
    renameSync(log, `${log}.3`)
    writeFileSync(log, 'three\n')
    expect((await look()).lines).toEqual(['two', 'three'])
  })
  it('whose earlier file is gone, and its inode given to another, is not taken for that', async () => {
    writeFileSync(log, 'one\n')
    await look()
    rotate()
    writeFileSync(log, 'two\n')
    await look()
    rmSync(`${log}.1`)
    writeFileSync(join(folder, 'other.log'), 'of\nothers\n')
    // As ext4 often does.
    position!.earlier![0]!.inode = statSync(join(folder, 'other.log')).ino
    expect((await look()).lines).toEqual([])
    expect(position).not.toHaveProperty('earlier')
  })
  it('is not taken for another that has a number in its name, nor are links of others followed', async () => {
    writeFileSync(log, 'one\n')
    await look()
    writeFileSync(join(folder, 'secret'), 'of somebody else\n')
    rotate()
    renameSync(`${log}.1`, `${log}.2`)
    symlinkSync(join(folder, 'secret'), `${log}.1`)
    writeFileSync(join(folder, 'app-1.log'), 'of another worker\n')
    writeFileSync(log, 'two\n')
    expect((await look()).lines).toEqual(['two'])
  })
  it('whose neighbours are other logs, or generations that were read long ago, is read without them', async () => {
    for (const [name, days] of [
      ['app.log.1', 1],
      ['app.log-20261130', 2],
    ] as const) {
      writeFileSync(join(folder, name), 'long ago\n')
      utimesSync(join(folder, name), new Date(), new Date(Date.now() - days * day))
    }
    writeFileSync(log, 'one\n')
    await look()
    for (const name of ['app-error.log', 'app.log.conf', 'app2.log', 'app.log.5.gz'])
      writeFileSync(join(folder, name), 'of others\n')
    rotate()
    writeFileSync(log, 'two\n')
    expect((await look()).lines).toEqual(['two'])
    truncateSync(log)
    expect((await look()).lines).toEqual([])
  })
  it('that its program goes on writing to after it was rotated is read there, too, until that is packed', async () => {
    writeFileSync(log, 'one\n')
    await look()
    rotate()
    writeFileSync(log, 'new\n')
    expect((await look()).lines).toEqual(['new'])
    for (const late of ['late', 'later']) {
      appendFileSync(`${log}.1`, `${late}\n`)
      expect((await look()).lines).toEqual([late])
    }
    expect((await look()).lines).toEqual([])
    appendFileSync(log, 'newer\n')
    expect((await look()).lines).toEqual(['newer'])
    pack(1)
    await look()
    expect(position).not.toHaveProperty('earlier')
  })
  it('that its program writes to still, while others came and went after it, is read with all of them', async () => {
    writeFileSync(log, 'one\n')
    await look()
    rotate()
    appendFileSync(log, 'two\n')
    rotate()
    writeFileSync(log, 'three\n')
    appendFileSync(`${log}.2`, 'late\n')
    expect((await look()).lines).toEqual(['late', 'two', 'three'])
  })
  it('that its program never opens anew is read wherever it is rotated to', async () => {
    writeFileSync(log, 'one\n')
    await look()
    for (const generation of [1, 2, 3]) {
      rotate()
      writeFileSync(log, '')
      appendFileSync(`${log}.${generation}`, `as ${generation}\n`)
      expect((await look()).lines).toEqual([`as ${generation}`])
    }
  })
  it('that was copied and cut is read to its end in the copy', async () => {
    writeFileSync(log, 'one\n')
    await look()
    appendFileSync(log, 'two\n')
    copyFileSync(log, `${log}.1`)
    truncateSync(log)
    appendFileSync(log, 'three\n')
    expect((await look()).lines).toEqual(['two', 'three'])
  })
  it('whose inode was given to its successor begins anew, even if that is longer already', async () => {
    writeFileSync(log, 'one\n')
    await look()
    // As if it had been taken away, and the next one had got its inode.
    writeFileSync(log, 'another, and longer\n')
    expect((await look()).lines).toEqual(['another, and longer'])
  })
  it('of many megabytes that was rotated before it was read is read look by look, too', async () => {
    writeFileSync(log, 'begins\n')
    await look()
    const line = `${'y'.repeat(99)}\n`
    appendFileSync(log, line.repeat(100_000))
    rotate()
    writeFileSync(log, line.repeat(10))
    rotate()
    writeFileSync(log, 'ends\n')
    const lines: string[] = []
    for (let i = 0; i < 5; i++) lines.push(...(await look()).lines)
    expect(lines).toHaveLength(100_011)
    expect(lines.at(-1)).toBe('ends')
  })
  it('read by an agent of before, which knew less of its place, goes on from there', async () => {
    writeFileSync(log, 'one\n')
    await look()
    position = { inode: position!.inode, offset: position!.offset }
    appendFileSync(log, 'two\n')
    rotate()
    writeFileSync(log, 'three\n')
    expect((await look()).lines).toEqual(['two', 'three'])
  })
  it('that was cut in place begins anew', async () => {
    writeFileSync(log, 'one\ntwo\n')
    await look()
    truncateSync(log)
    appendFileSync(log, 'x\n')
    expect((await look()).lines).toEqual(['x'])
  })
  it('with a line that never ends stops nothing: it is passed by and counted', async () => {
    writeFileSync(log, 'one\n')
    await look()
    appendFileSync(log, 'x'.repeat(700_000))
    expect((await look()).leftOut).toBe(1)
    appendFileSync(log, 'xxx\nbehind\n')
    expect((await look()).lines.at(-1)).toBe('behind')
  })
  it('of many megabytes is read piece by piece, look by look, with nothing left out', async () => {
    writeFileSync(log, '')
    await look()
    const line = `${'y'.repeat(99)}\n`
    writeFileSync(log, line.repeat(100_000))
    let count = 0
    for (let i = 0; i < 5; i++) count += (await look()).lines.length
    expect(count).toBe(100_000)
  })
  it('never read before begins with its end', async () => {
    writeFileSync(log, 'a line of some length\n'.repeat(1000))
    const { lines } = await look()
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
