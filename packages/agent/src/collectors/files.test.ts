import { execFileSync } from 'node:child_process'
import {
  chmodSync,
  mkdirSync,
  mkdtempSync,
  rmSync,
  statSync,
  symlinkSync,
  truncateSync,
  utimesSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { fileLimits, filesCollector, isTmpPrivate, linesWith, ReadFiles, seenOf } from './files'

let root: string
beforeEach(() => {
  root = mkdtempSync(join(tmpdir(), 'custode-files-'))
})
afterEach(() => rmSync(root, { recursive: true }))
const put = (path: string, text = '') => {
  mkdirSync(dirname(join(root, path)), { recursive: true })
  writeFileSync(join(root, path), text)
  return join(root, path)
}
const ask = (path: string, words = '') => ({ path: join(root, path), words })

describe('files', () => {
  it('number, bytes and ages are those of find(1)', async () => {
    put('in/a.csv', 'x'.repeat(3000))
    put('in/b.CSV', 'x'.repeat(10))
    utimesSync(put('in/old.csv', 'x'), 1_000_000_000, 1_000_000_000)
    put('in/c.txt', 'x')
    put('in/.hidden.csv', 'x')
    put('in/deeper/d.csv', 'x')
    const seen = await seenOf(ask('in/*.csv'))
    const found = execFileSync(
      'find',
      [join(root, 'in'), '-maxdepth', '1', '-type', 'f', '-iname', '[^.]*.csv', '-printf', '%s %T@\n'],
      { encoding: 'utf8' },
    )
      .trim()
      .split('\n')
      .map((line) => line.split(' ').map(Number) as [number, number])
    expect([seen.count, seen.size, seen.largest]).toEqual([
      found.length,
      found.reduce((sum, [size]) => sum + size, 0),
      Math.max(...found.map(([size]) => size)),
    ])
    expect(seen.oldest).toBe(1_000_000_000_000)
    expect(Math.abs(seen.newest! / 1000 - Math.max(...found.map(([, at]) => at)))).toBeLessThan(0.01)
  })
  it('patterns in folders, too; folders themselves are none; links count as what they lead to', async () => {
    put('site-1/log/error.log', '12')
    put('site-2/log/error.log', '345')
    mkdirSync(join(root, 'site-3/log/error.log'), { recursive: true })
    symlinkSync(join(root, 'site-1/log/error.log'), join(root, 'site-2/log/also.log'))
    symlinkSync('/nowhere', join(root, 'site-2/log/broken.log'))
    expect(await seenOf(ask('site-*/log/error.log'))).toMatchObject({ count: 2, size: 5 })
    expect(await seenOf(ask('site-2/log/*'))).toMatchObject({ count: 2, size: 5 })
  })
  it('none is a number', async () => {
    expect(await seenOf(ask('in/*.csv'))).toEqual({
      count: 0,
      size: 0,
      largest: 0,
      newest: null,
      oldest: null,
      lines: null,
    })
    expect((await seenOf(ask('in'))).count).toBe(0)
  })
  it('lines with words are those of grep(1), also where letters are cut between pieces, and where no line ends', async () => {
    const text = Array.from(
      { length: 9000 },
      (_, i) => `${'ü'.repeat(i % 9)} line ${i} ${i % 7 ? 'fine' : 'Größe fehlt'}`,
    ).join('\n')
    const path = put('app.log', text)
    const counted = Number(execFileSync('grep', ['--count', 'Größe', path], { encoding: 'utf8' }))
    expect((await seenOf(ask('app.log', 'größe'))).lines).toBe(counted)
    expect((await seenOf(ask('app.log', 'line 89?? *fehlt'))).lines).toBeGreaterThan(0)
    expect((await seenOf(ask('*.log', 'nothing says so'))).lines).toBe(0)
  })
  it('of a large one the end is read, and lines without end take no memory', async () => {
    const path = put('large.log', '')
    truncateSync(path, fileLimits.readBytes * 3)
    execFileSync('sh', ['-c', `printf 'x\\nthe needle is here\\n' >> ${path}`])
    expect((await seenOf(ask('large.log', 'needle'))).lines).toBe(1)
  })
  it('a digest changes with what stands in it, and not with its times', async () => {
    const path = put('etc/app.conf', 'a = 1')
    const digest = async () => (await seenOf({ ...ask('etc/app.conf'), digest: true })).digest
    const first = await digest()
    utimesSync(path, 1, 1)
    expect(await digest()).toBe(first)
    put('etc/app.conf', 'a = 2')
    expect(await digest()).not.toBe(first)
    put('etc/other.conf')
    // Of several nobody would hear which changed, and of none that any did.
    await expect(seenOf({ ...ask('etc/*.conf'), digest: true })).rejects.toThrow(/2 files.*one alone/)
    truncateSync(path, fileLimits.digestBytes + 1)
    await expect(digest()).rejects.toThrow(/larger than 10 MB/)
  })
})

describe('what did not change', () => {
  it('is not read again; what changed is, also with the same size and time', async () => {
    const read = new ReadFiles()
    const path = put('etc/app.conf', 'a = 1')
    utimesSync(path, 1, 1)
    const look = async () => {
      const { digest, lines } = await seenOf({ ...ask('etc/app.conf', 'a = 1'), digest: true }, false, read)
      read.turn()
      return [digest, lines]
    }
    const first = await look()
    // Whoever reads what is known already would fail here.
    const one = { path, stats: statSync(path) }
    await expect(read.of(one, 'a = 1', () => Promise.reject(new Error('read again')))).resolves.toBe(1)
    writeFileSync(path, 'b = 1')
    utimesSync(path, 1, 1)
    const [digest, lines] = await look()
    expect(lines).toBe(0)
    expect(digest).not.toBe(first[0])
  })
})

describe('what cannot be looked at', () => {
  it('says so, and costs the others nothing', async () => {
    put('open/a', '1')
    put('closed/a', '1')
    // Root may look everywhere: another file system, which nobody can list, stands for a closed folder.
    const isRoot = process.getuid?.() === 0
    if (!isRoot) chmodSync(join(root, 'closed'), 0)
    const closed = isRoot ? { path: `/proc/1/task/1/fdinfo/${'x'.repeat(300)}`, words: '' } : ask('closed/a')
    const { readings, facts } = await filesCollector(() => [closed, ask('open/a')], false).collect(Date.now())
    if (!isRoot) chmodSync(join(root, 'closed'), 0o700)
    expect(facts!.files).toEqual([
      { name: closed.path, trouble: expect.stringMatching(/may not look|ENAMETOOLONG/) as string },
      { name: join(root, 'open/a') },
    ])
    expect(readings!.map(([metric, name]) => [metric, name])).toContainEqual(['file.count', join(root, 'open/a')])
    expect(readings!.filter(([, name]) => name === closed.path)).toEqual([])
  })
  it('one that opens and cannot be read costs the others nothing either', async () => {
    put('open/a', '1')
    // The kernel refuses to read what stands at nought of a program's memory (proc_pid_mem(5)).
    const odd = { path: '/proc/self/mem', words: 'x' }
    const { readings, facts } = await filesCollector(() => [odd, ask('open/a')], false).collect(Date.now())
    expect(facts!.files![0]).toEqual({
      name: '“x” in /proc/self/mem',
      trouble: expect.stringContaining('EIO') as string,
    })
    expect(readings).toContainEqual(['file.count', join(root, 'open/a'), 1])
  })
  it('one that grows while it is read ends', async () => {
    const path = put('grows.log', 'x\n'.repeat(10))
    const seen = { path, stats: statSync(path) }
    writeFileSync(path, 'x\n'.repeat(5000))
    // What came since is the next look's.
    await expect(linesWith(seen, 'x')).resolves.toBe(10)
  })
  it('too many to look through are no number', async () => {
    mkdirSync(join(root, 'many'))
    execFileSync('sh', ['-c', `cd ${join(root, 'many')} && seq ${fileLimits.entries + 10} | xargs touch`])
    await expect(seenOf(ask('many/*'))).rejects.toThrow(/more than 50000 entries/)
  })
  it('a /tmp of the agent’s own shows nobody what is in that of others', async () => {
    // As systemd-nspawn's host showed it (Debian 13).
    expect(
      isTmpPrivate('598 515 0:56 /tmp/systemd-private-0a-custode-agent.service-Zp/tmp /tmp rw,nosuid - overlay o rw'),
    ).toBe(true)
    expect(isTmpPrivate('36 28 0:33 / /tmp rw,nosuid,nodev shared:15 - tmpfs tmpfs rw')).toBe(false)
    await expect(seenOf({ path: '/tmp/x/*', words: '' }, true)).rejects.toThrow(/of its own/)
    expect((await seenOf({ path: '/tmpfiles/x', words: '' }, true)).count).toBe(0)
  })
  it('nothing is looked at where nobody asks', async () => {
    expect(await filesCollector(() => [], false).collect(0)).toEqual({})
  })
})
