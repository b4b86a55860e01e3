import { spawnSync } from 'node:child_process'
import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  symlinkSync,
  utimesSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeEach, describe, expect, it } from 'vitest'
import { packagesScript } from '../../../install/rootTimers/packages'
import { day } from '#core'
import { NotHereError } from '../../collector'
import { FirstSeen } from '../../firstSeen'
import { outdatedPrograms, parseReplaced, serviceOf } from './outdated'
import { parseDnf, parseZypper, rpmManager } from './rpm'
import { parseFetched, parseSections } from './told'

const sectionsOf = (...parts: [name: string, code: number, output: string][]) =>
  parseSections(parts.map(([name, code, output]) => `== ${name} ${code}\n${output}\n`).join('')).sections

describe('what waits', () => {
  // As dnf 4.14 and zypper 1.14.42 of Debian 12 print it of an archive that was made for it.
  it('by dnf: what mends security by its advisories, what is locked by what it leaves out', () => {
    const sections = sectionsOf(
      ['all', 0, 't-locked.noarch\t2-1\tx\n\nt-ordinary.noarch\t2-1\tx\n\nt-urgent.noarch\t2-1\tx'],
      ['free', 0, 't-ordinary.noarch\nt-urgent.noarch'],
      ['advisories', 0, 'EX-2026:0001 Important/Sec. t-urgent-2-1.noarch\nEX-2026:2 bugfix t-ordinary-2-1.noarch'],
      ['installed', 0, 't-urgent.noarch\t1-1\nt-ordinary.noarch\t1-1\nt-locked.noarch\t1-1'],
      ['leftover', 0, 't-orphan'],
    )
    expect(parseDnf(sections)).toEqual({
      waiting: [
        { name: 't-locked.noarch', from: '1-1', to: '2-1', origin: 'x', security: false, held: 'asked' },
        { name: 't-ordinary.noarch', from: '1-1', to: '2-1', origin: 'x', security: false },
        { name: 't-urgent.noarch', from: '1-1', to: '2-1', origin: 'x', security: true, rating: 'important' },
      ],
      leftover: ['t-orphan'],
    })
  })
  it.each([
    ['of another package whose name goes on', 'EX-1 Important/Sec. t-urgent-tools-2-1.noarch', false],
    ['of another architecture', 'EX-1 Important/Sec. t-urgent-2-1.x86_64', false],
    ['with an epoch', 'EX-1 Important/Sec. t-urgent-1:2-1.noarch', true],
    ['as newer ones write it', 'EX-1 security Important t-urgent-2-1.noarch 2026-11-01', true],
  ])('an advisory %s', (_, advisory, security) => {
    const sections = sectionsOf(
      ['all', 0, 't-urgent.noarch\t2-1\tx'],
      ['free', 0, 't-urgent.noarch'],
      ['advisories', 0, advisory],
      ['installed', 0, ''],
      ['leftover', 0, ''],
    )
    expect(parseDnf(sections).waiting[0]!.security).toBe(security)
  })
  it('by zypper: what mends security by what its patches would bring', () => {
    const update = (name: string) =>
      `<update kind="package" name="${name}" edition="2-1" arch="noarch" edition-old="1-1"><summary>a &amp; b</summary><source url="file:/srv/repo" alias="x"/></update>`
    const list = (...names: string[]) =>
      `<?xml version='1.0'?>\n<stream>\n<update-list>\n${names.map(update).join('')}</update-list>\n</stream>`
    const sections = sectionsOf(
      ['all', 0, list('t-kept', 't-locked', 't-ordinary', 't-urgent')],
      ['free', 0, list('t-ordinary', 't-urgent')],
      [
        'security',
        0,
        `<install-summary packages-to-change="1">\n<to-upgrade>\n<solvable type="package" name="t-urgent" edition="2-1" arch="noarch" edition-old="1-1" summary="a"/>\n</to-upgrade>\n<to-install>\n<solvable type="patch" name="EX-2026:0001" edition="1"/>`,
      ],
      ['locks', 0, '<locks size="1"><lock number="1"><name>t-locked</name><type>package</type></lock>\n</locks>'],
      [
        'leftover',
        0,
        'S | Repository | Name     | Version | Arch\n--+------------+----------+---------+-------\ni | x          | t-orphan | 1-1     | noarch',
      ],
    )
    expect(parseZypper(sections)).toEqual({
      waiting: [
        { name: 't-kept', from: '1-1', to: '2-1', origin: 'x', security: false, held: 'kept' },
        { name: 't-locked', from: '1-1', to: '2-1', origin: 'x', security: false, held: 'asked' },
        { name: 't-ordinary', from: '1-1', to: '2-1', origin: 'x', security: false },
        { name: 't-urgent', from: '1-1', to: '2-1', origin: 'x', security: true },
      ],
      leftover: ['t-orphan'],
    })
  })
  it('is not “nothing” where it could not be asked', () => {
    const text = 'dnf\n== all 1\n\n== all.errors 0\nError: Failed to load the package database\n== free 0\n'
    const { manager, sections } = parseSections(text)
    expect(manager).toBe('dnf')
    expect(() => parseDnf(sections)).toThrow()
    sections.set('free', { code: 1, output: '', errors: 'Error: Failed to load the package database' })
    expect(() => parseDnf(sections)).toThrow('Failed to load the package database')
  })
})

describe('what dnf and zypper are asked by root alone', () => {
  const manager = (told: { text: string; at: number } | null, timer: string) => rpmManager('dnf', () => told, timer)
  const text = 'dnf\n== all 0\n\n== free 0\n\n== advisories 0\n\n== installed 0\n\n== leftover 0\n\n'
  it('is nothing of this machine where no timer does', async () => {
    await expect(manager(null, '/nowhere').look()).rejects.toBeInstanceOf(NotHereError)
  })
  it('is a failure where one does, and has told nothing, or nothing for long', async () => {
    await expect(manager(null, '/').look()).rejects.toThrow('not asked yet')
    await expect(manager({ text, at: Date.now() - 3 * day }, '/').look()).rejects.toThrow('was not asked for 3 d')
  })
  it('is as old as the word of it', async () => {
    const at = Date.now() - day
    expect(await manager({ text, at }, '/').look()).toEqual({ waiting: [], leftover: [] })
    expect(manager({ text, at }, '/').askedAt(Date.now())).toBe(at)
  })
})

describe('fetching the lists', () => {
  it.each([
    ['went well', '1764000000\n0\n', { at: 1_764_000_000_000, failure: null }],
    [
      'fails, and the first archive that failed says why',
      '1764000000\n1764003600\nErr:1 http://a.example/ ./ InRelease\nE: Failed to fetch http://a.example/x  Temporary failure resolving\nE: Some index files failed to download. They have been ignored, or old ones used instead.\n',
      {
        at: 1_764_000_000_000,
        failure: {
          since: 1_764_003_600_000,
          reason: 'Failed to fetch http://a.example/x  Temporary failure resolving',
        },
      },
    ],
    ['never went well', '0\n5\nsomething\n', { at: null, failure: { since: 5000, reason: 'something' } }],
    ['is half written', '17', null],
    ['is not understood', 'a\nb\n', null],
  ])('%s', (_, text, told) => {
    expect(parseFetched(text)).toEqual(told)
  })
})

describe('files that were replaced', () => {
  const maps = `/proc/12/maps:7f1000-7f2000 r-xp 00000000 08:01 1234    /usr/lib/x86_64-linux-gnu/libssl.so.3 (deleted)
/proc/12/maps:7f2000-7f3000 r-xp 00001000 08:01 1234    /usr/lib/x86_64-linux-gnu/libssl.so.3 (deleted)
/proc/13/maps:7f1000-7f2000 r-xp 00000000 08:01 1235    /opt/a program/bin/x (deleted)
/proc/14/maps:7f1000-7f2000 rwxp 00000000 00:05 7       /memfd:doublemapper (deleted)
/proc/14/maps:7f1000-7f2000 r-xp 00000000 00:05 8       /tmp/.plugin.so (deleted)
/proc/15/maps:7f1000-7f2000 rwxs 00000000 00:01 9       /dev/zero (deleted)
`
  it('are programs and libraries of packages, and not what a program made for itself and removed', () => {
    expect(parseReplaced(maps)).toEqual(
      new Map([
        [12, new Set(['/usr/lib/x86_64-linux-gnu/libssl.so.3'])],
        [13, new Set(['/opt/a program/bin/x'])],
      ]),
    )
  })
  // proc_pid_cgroup(5); the paths as systemd makes them (systemd.slice(5)).
  it.each([
    ['0::/system.slice/nginx.service', 'nginx'],
    ['0::/system.slice/system-getty.slice/getty@tty1.service', 'getty@tty1'],
    ['0::/system.slice/ssh.service/inner', 'ssh'],
    ['12:pids:/system.slice/a.service\n1:name=systemd:/system.slice/nginx.service', 'nginx'],
    ['0::/system.slice/docker.service', 'docker'],
    ['0::/docker/0123456789abcdef', undefined],
    ['0::/init.scope', null],
    ['0::/user.slice/user-1000.slice/session-3.scope', null],
    ['0::/user.slice/user-1000.slice/user@1000.service/app.slice/app.service', null],
    ['0::/machine.slice/machine-web.scope/payload/system.slice/nginx.service', undefined],
    ['0::/system.slice/docker-0123456789abcdef.scope', undefined],
    ['0::/kubepods.slice/kubepods-pod1.slice/cri-1.scope', undefined],
  ])('belong to a service by its control group: %s', (cgroup, service) => {
    expect(serviceOf(cgroup)).toBe(service)
  })
  it('are told by service, and by program where none runs it', () => {
    const files = new Set(['/usr/lib/a.so'])
    // Of proc_pid_stat(5) all fields but the 22nd: when it started, in hundredths of a second since the machine did.
    const stat = (started: number) => `7 (a (b) c) S 1 ${'0 '.repeat(17)}${started} 0 0`
    const proc: Record<string, string> = {
      '/proc/uptime': '1000.00 900.00\n',
      '/proc/1/cgroup': '0::/init.scope',
      '/proc/1/comm': 'systemd\n',
      '/proc/1/stat': stat(0),
      '/proc/2/cgroup': '0::/system.slice/nginx.service',
      '/proc/2/stat': stat(50_000),
      '/proc/3/cgroup': '0::/system.slice/nginx.service',
      '/proc/3/stat': stat(50_000),
      // Started since one looked: its number was another's then.
      '/proc/5/cgroup': '0::/system.slice/ssh.service',
      '/proc/5/stat': stat(95_000),
    }
    const replaced = new Map([1, 2, 3, 4, 5].map((pid) => [pid, files]))
    expect(outdatedPrograms(replaced, 300_000, (path) => proc[path] ?? null)).toEqual([
      { name: 'nginx', service: true, files: ['/usr/lib/a.so'] },
      { name: 'systemd', service: false, files: ['/usr/lib/a.so'] },
    ])
  })
  it('of this very process are read as of any other', () => {
    const [found] = outdatedPrograms(new Map([[process.pid, new Set(['/usr/lib/a.so'])]]), 0)
    expect(found?.files).toEqual(['/usr/lib/a.so'])
    expect(outdatedPrograms(new Map([[process.pid, new Set(['/usr/lib/a.so'])]]), 1e12)).toEqual([])
  })
})

describe('first seen', () => {
  const folder = mkdtempSync(join(tmpdir(), 'custode-seen-'))
  const file = join(folder, 'updates-seen.json')
  afterAll(() => rmSync(folder, { recursive: true }))
  const since = (seen: FirstSeen, security: boolean, now: number) =>
    seen.waiting([{ name: 'a', security }], now).map((update) => update.since)

  it('outlives a restart; an update that becomes one of security counts anew from then', () => {
    const seen = new FirstSeen(file)
    expect(since(seen, false, 100)).toEqual([100])
    seen.keep()
    const again = new FirstSeen(file)
    expect(since(again, false, 200)).toEqual([100])
    expect(since(again, true, 300)).toEqual([300])
    expect(since(again, true, 400)).toEqual([300])
  })
  it('what waits no longer is forgotten', () => {
    const seen = new FirstSeen(null)
    since(seen, false, 100)
    seen.waiting([], 200)
    expect(since(seen, false, 300)).toEqual([300])
  })
  it('understands what earlier versions have written, and nothing that is no such thing', () => {
    writeFileSync(file, '{"a":50}')
    expect(since(new FirstSeen(file), true, 100)).toEqual([50])
    const broken = '{"ordinary":null,"security":{"a":"x"},"leftover":7,"outdated":{},"states":null}'
    for (const text of ['', '[]', '7', '{"a":"b"}', 'null', '{"waiting":null}', broken]) {
      writeFileSync(file, text)
      expect(since(new FirstSeen(file), true, 100), text).toEqual([100])
    }
  })
  it('whatever something is called', () => {
    const names = ['constructor', '__proto__', 'toString']
    const seen = new FirstSeen(file)
    expect([...seen.outdated(names, 100).values()]).toEqual([100, 100, 100])
    seen.keep()
    expect([...new FirstSeen(file).outdated(names, 200).values()]).toEqual([100, 100, 100])
    expect(seen.leftover(names, 100)).toBe(100)
  })
  it('never in the future, where a clock was set back', () => {
    const seen = new FirstSeen(file)
    since(seen, true, Date.now() + 3650 * day)
    seen.keep()
    const now = Date.now()
    expect(since(new FirstSeen(file), true, now)[0]).toBeLessThanOrEqual(now)
  })
  it('a state counts from when it came, and anew when it comes back', () => {
    const seen = new FirstSeen(null)
    expect([1, 2].map((now) => seen.state('restart', true, now))).toEqual([1, 1])
    expect(seen.state('restart', false, 3)).toBeNull()
    expect(seen.state('restart', true, 4)).toBe(4)
  })
})

describe('root’s script', () => {
  const folder = mkdtempSync(join(tmpdir(), 'custode-packages-'))
  const bin = join(folder, 'bin')
  afterAll(() => rmSync(folder, { recursive: true }))
  beforeEach(() => {
    rmSync(bin, { recursive: true, force: true })
    for (const name of ['fetched', 'packages', 'asked']) rmSync(join(folder, name), { force: true })
    mkdirSync(bin)
    // Nothing of this machine but what the script itself is made of.
    for (const tool of ['sh', 'date', 'grep', 'tail', 'head', 'mv', 'rm', 'timeout', 'find', 'cat'])
      symlinkSync(
        [`/usr/bin/${tool}`, `/bin/${tool}`].find((path) => existsSync(path))!,
        join(bin, tool),
      )
    writeFileSync(join(folder, 'script'), packagesScript)
  })
  const program = (name: string, does: string) =>
    writeFileSync(join(bin, name), `#!/bin/sh\necho "${name} $*" >> ${folder}/asked\n${does}\n`, { mode: 0o755 })
  const run = (lookOnly = '/nowhere/at/all') =>
    spawnSync('/bin/sh', [join(folder, 'script'), folder, lookOnly], { env: { PATH: bin }, encoding: 'utf8' })
  const fetched = () => parseFetched(readFileSync(join(folder, 'fetched'), 'utf8'))!
  const asked = () => (existsSync(join(folder, 'asked')) ? readFileSync(join(folder, 'asked'), 'utf8').split('\n') : [])
  const times = (pattern: RegExp) => asked().filter((line) => pattern.test(line)).length

  it('fetches the lists once a day', () => {
    program('apt-get', 'exit 0')
    expect(run().stderr).toBe('')
    run()
    expect(times(/update$/)).toBe(1)
    expect(fetched()).toMatchObject({ failure: null, at: expect.any(Number) as number })
    writeFileSync(join(folder, 'fetched'), `${Math.floor(Date.now() / 1000) - 86_000}\n0\n`)
    run()
    expect(times(/update$/)).toBe(2)
  })
  it('a failure stands from when it began, with its reason, and is tried each time', () => {
    program('apt-get', 'echo "E: Failed to fetch http://a.example  No route" >&2; exit 100')
    run()
    const first = fetched()
    expect(first).toMatchObject({ at: null, failure: { reason: 'Failed to fetch http://a.example  No route' } })
    writeFileSync(join(folder, 'fetched'), '1764000000\n1764003600\nE: before\n')
    run()
    expect(times(/update$/)).toBe(2)
    expect(fetched()).toMatchObject({ at: 1_764_000_000_000, failure: { since: 1_764_003_600_000 } })
    program('apt-get', 'exit 0')
    run()
    expect(fetched().failure).toBeNull()
  })
  it('so it is by an apt that ends well nevertheless, as those before 2.1 do', () => {
    program('apt-get', 'echo "W: Failed to fetch http://a.example  No route"; echo "W: Some index files failed"')
    run()
    expect(fetched().failure).toMatchObject({ reason: 'Failed to fetch http://a.example  No route' })
  })
  it.each(['', 'nothing', '17', 'a\nb\n'])('goes on after a file of its own that is none: %j', (text) => {
    program('apt-get', 'exit 0')
    writeFileSync(join(folder, 'fetched'), text)
    expect(run().stderr).toBe('')
    expect(fetched()).toMatchObject({ failure: null, at: expect.any(Number) as number })
  })
  it('that somebody else fetches them at this moment is no failure', () => {
    program('apt-get', 'echo "E: Could not get lock /var/lib/apt/lists/lock" >&2; exit 100')
    run()
    expect(fetched()).toEqual({ at: null, failure: null })
  })
  it('fetches nothing where the agent only looks', () => {
    program('apt-get', 'exit 0')
    run(join(folder, 'script'))
    expect(asked()).toEqual([])
    expect(existsSync(join(folder, 'fetched'))).toBe(false)
  })
  it('dnf, which ends well although an archive did not answer, is read', () => {
    program('rpm', 'exit 0')
    program('dnf', 'case "$1" in makecache) echo "Error: Failed to download metadata for repo"; esac; exit 0')
    run()
    expect(fetched().failure).toMatchObject({ reason: 'Error: Failed to download metadata for repo' })
  })
  it('asks dnf what waits once a day, and again after something was fetched', () => {
    program('rpm', 'exit 0')
    program('dnf', 'echo said; echo why >&2; case "$*" in *needs*) exit 1; esac')
    run()
    const { manager, sections } = parseSections(readFileSync(join(folder, 'packages'), 'utf8'))
    expect(manager).toBe('dnf')
    expect(sections.get('restart')).toEqual({ code: 1, output: 'said', errors: 'why' })
    expect(sections.get('all')).toEqual({ code: 0, output: 'said', errors: '' })
    run()
    expect(times(/needs-restarting/)).toBe(1)
    utimesSync(join(folder, 'packages'), 1_700_000_000, 1_700_000_000)
    run()
    expect(times(/needs-restarting/)).toBe(2)
  })
  it('where no package manager is, says nothing of one, and looks at the programs', () => {
    expect(run().status).toBe(0)
    expect(existsSync(join(folder, 'packages'))).toBe(false)
    expect(existsSync(join(folder, 'replaced'))).toBe(true)
  })
})
