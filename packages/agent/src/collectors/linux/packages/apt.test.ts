import { execFileSync } from 'node:child_process'
import { mkdtempSync, rmSync, utimesSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeEach, describe, expect, it } from 'vitest'
import { day, minute } from '#core'
import { expiredLists, listsCameAt, parseKept, parsePolicies, parseSimulation, simulate, upgradedAt } from './apt'

// Lines as apt-get(8) --simulate prints them on Debian 12.
const output = `Reading package lists...
The following packages have been kept back:
  firefox-esr libwidget1
  postgresql-15
The following packages will be upgraded:
  libc6 openssl tzdata
Inst libc6 [2.36-9] (2.36-9+deb12u9 Debian:12.9/stable [amd64]) []
Inst openssl [3.0.15-1] (3.0.15-1+deb12u1 Debian-Security:12/stable-security [amd64])
Inst tzdata [2024a] (2025a Debian:12.9/stable, Debian-Security:12/stable-security [all])
Inst bash [5.2-1] (5.2-2 Ubuntu:24.04/noble-security [amd64])
Inst new-thing (1.0 Debian:12.9/stable [amd64])
Conf libc6 (2.36-9+deb12u9 Debian:12.9/stable [amd64])
`

describe('a simulation', () => {
  it('tells security from the rest, and leaves out what would only come new', () => {
    expect(parseSimulation(output)).toEqual([
      { name: 'libc6', from: '2.36-9', to: '2.36-9+deb12u9', origin: 'Debian:12.9/stable', security: false },
      {
        name: 'openssl',
        from: '3.0.15-1',
        to: '3.0.15-1+deb12u1',
        origin: 'Debian-Security:12/stable-security',
        security: true,
      },
      { name: 'tzdata', from: '2024a', to: '2025a', origin: 'Debian-Security:12/stable-security', security: true },
      { name: 'bash', from: '5.2-1', to: '5.2-2', origin: 'Ubuntu:24.04/noble-security', security: true },
    ])
  })
  it('names what stays as it is', () => {
    expect(parseKept(output)).toEqual(['firefox-esr', 'libwidget1', 'postgresql-15'])
    expect(parseKept('0 upgraded, 0 newly installed, 0 to remove and 0 not upgraded.\n')).toEqual([])
  })
  it('agrees with what apt-get of this machine sums up itself', { timeout: 180_000 }, async () => {
    const sums = (task: string) =>
      /^(\d+) upgraded, \d+ newly installed, (?:\d+ downgraded, )?(\d+) to remove and (\d+) not upgraded/m.exec(
        execFileSync('apt-get', ['--simulate', task], { encoding: 'utf8', env: { ...process.env, LC_ALL: 'C' } }),
      )!
    const [, upgraded, , kept] = sums('dist-upgrade')
    const { waiting, leftover } = await simulate()
    expect(waiting.filter(({ held }) => !held).length).toBe(Number(upgraded))
    // Some tell of fewer than there are.
    expect(waiting.filter(({ held }) => held).length).toBeGreaterThanOrEqual(Number(kept))
    expect(leftover.length).toBe(Number(sums('autoremove')[2]))
  })
})

// As apt-cache(8) policy prints it on Debian 12.
const policy = (candidate: string) => `t-locked:
  Installed: 1.0
  Candidate: ${candidate}
  Version table:
     3.0 500
        500 http://archive.example/debian bookworm-updates/main amd64 Packages
     2.0 500
        500 http://archive.example/debian-security bookworm-security/main amd64 Packages
 *** 1.0 100
        100 /var/lib/dpkg/status
`
describe('a policy', () => {
  it('tells a security update that a newer version has overtaken, and where that comes from', () => {
    expect(parsePolicies(policy('3.0'))).toEqual([
      { name: 't-locked', installed: '1.0', candidate: '3.0', origin: 'bookworm-updates/main', security: true },
    ])
  })
  it('of one that is pinned to what it is has no other candidate', () => {
    expect(parsePolicies(policy('1.0'))[0]).toMatchObject({ installed: '1.0', candidate: '1.0' })
  })
  it('of several, each by itself', () => {
    const second = policy('3.0').replace('t-locked:', 'other-one:').replace('Installed: 1.0', 'Installed: (none)')
    expect(parsePolicies(policy('3.0') + second).map(({ name, installed }) => [name, installed])).toEqual([
      ['t-locked', '1.0'],
      ['other-one', null],
    ])
  })
})

describe('lists', () => {
  const folder = mkdtempSync(join(tmpdir(), 'custode-lists-'))
  const now = Date.UTC(2026, 10, 20, 12)
  afterAll(() => rmSync(folder, { recursive: true }))
  beforeEach(() => {
    for (const name of ['a_InRelease', 'b_Release']) rmSync(join(folder, name), { force: true })
  })
  const release = (name: string, until: string | null) =>
    writeFileSync(
      join(folder, name),
      `Origin: Debian\nDate: Fri, 13 Nov 2026 08:22:07 UTC\n${until === null ? '' : `Valid-Until: ${until}\n`}SHA256:\n`,
    )

  it('came when their files were put in place, whatever time those carry; that the folder changed says nothing', () => {
    expect(listsCameAt(folder)).toBeNull()
    release('a_InRelease', null)
    utimesSync(join(folder, 'a_InRelease'), 1_700_000_000, 1_700_000_000)
    expect(Math.abs(Date.now() - listsCameAt(folder)!)).toBeLessThan(minute)
  })
  it('that should have been renewed a day ago show that fetching fails, whoever does it', () => {
    release('a_InRelease', 'Fri, 20 Nov 2026 08:22:07 UTC')
    release('b_Release', null)
    expect(expiredLists(now, folder)).toBeNull()
    expect(expiredLists(now + day, folder)).toMatchObject({
      since: Date.UTC(2026, 10, 20, 8, 22, 7),
      reason: 'what a gave last was good until 2026-11-20',
    })
  })
  it('that cannot be read as such are no failure', () => {
    release('a_InRelease', 'never')
    expect(expiredLists(now + 400 * day, folder)).toBeNull()
  })
})

it('when packages were upgraded last stands in apt’s history, in local time', () => {
  const file = join(mkdtempSync(join(tmpdir(), 'custode-history-')), 'history.log')
  expect(upgradedAt(file)).toBeNull()
  // As apt writes it on Debian 12.
  writeFileSync(
    file,
    `
Start-Date: 2026-11-02  06:10:01
Commandline: /usr/bin/unattended-upgrade
Upgrade: libssl3:amd64 (3.0.14-1, 3.0.15-1)
End-Date: 2026-11-02  06:10:14

Start-Date: 2026-11-05  10:00:00
Commandline: apt-get install lsof
Install: lsof:amd64 (4.95.0-1)
End-Date: 2026-11-05  10:00:02
`,
  )
  expect(upgradedAt(file)).toBe(new Date(2026, 10, 2, 6, 10, 14).getTime())
  rmSync(file)
})
