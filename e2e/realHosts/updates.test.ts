import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { DevicePage } from '#contract'
import { minute, type Values, type WatchSpec } from '#core'
import { rpmPackages, type RealHost } from '../../packages/standins/src/realHosts'
import {
  alertsOf,
  installAgent,
  leftOut,
  openHostHouse,
  pageOf,
  until,
  watchFor,
  type HostHouse,
  eachOf,
} from './hostHouse'

const watch = (key: string, values: Values): WatchSpec => ({
  key,
  kind: 'updates',
  name: key,
  why: '',
  osFamilies: [],
  values: { security: 'nothing', other: 'nothing', ...values },
})
const packagesUnit = 'custode-agent-packages'

/** A package of Debian's with nothing in it but what `make` puts below /tmp/p, and an index of an archive's part. */
const tools = `set -e
package() { # name version part [field: value]
  mkdir -p /srv/repo/$3 /tmp/p/DEBIAN
  printf 'Package: %s\\nVersion: %s\\nArchitecture: all\\nMaintainer: x <x@custode.example>\\n%sDescription: x\\n' $1 $2 "\${4:+$4
}" > /tmp/p/DEBIAN/control
  dpkg-deb --build --root-owner-group /tmp/p /srv/repo/$3/$1_$2.deb > /dev/null
  rm -rf /tmp/p
}
index() { # part label suite
  cd /srv/repo/$1; : > Packages
  for deb in *.deb; do dpkg-deb -f $deb >> Packages; printf 'Filename: ./%s\\nSize: %s\\nSHA256: %s\\n\\n' $deb $(stat -c %s $deb) $(sha256sum $deb | cut -d' ' -f1) >> Packages; done
  printf 'Origin: Debian\\nLabel: %s\\nSuite: %s\\nCodename: %s\\nSHA256:\\n %s %s Packages\\n' $2 $3 $3 $(sha256sum Packages | cut -d' ' -f1) $(stat -c %s Packages) > Release
}
`
/** An archive on the host's own disk, with an ordinary and a security part. */
const offer = `${tools}
for name in urgent overtaken ordinary held kept pinned; do package t-$name 1 base; done
mkdir -p /tmp/p/usr/lib; cp /lib/*/libm.so.6 /tmp/p/usr/lib/t-old.so; package t-library 1 base
dpkg -i /srv/repo/base/*.deb > /dev/null
package t-urgent 2 x-security; package t-overtaken 2 x-security; package t-held 2 x-security
package t-ordinary 2 x-updates; package t-overtaken 3 x-updates; package t-pinned 2 x-updates
package t-kept 2 x-updates 'Depends: nobody-has-this'
mkdir -p /tmp/p/usr/lib; cp /lib/*/libm.so.6 /tmp/p/usr/lib/t-old.so; package t-library 2 x-updates
index x-security Debian-Security x-security; index x-updates Debian x-updates
rm -f /etc/apt/sources.list.d/*
printf 'deb [trusted=yes] file:/srv/repo/x-security ./\\ndeb [trusted=yes] file:/srv/repo/x-updates ./\\n' > /etc/apt/sources.list
printf 'Package: t-pinned\\nPin: version 1\\nPin-Priority: 1001\\n' > /etc/apt/preferences.d/pinned
apt-mark hold t-held > /dev/null
# Not mapped for long by anything else.
cat > /etc/systemd/system/t-old.service <<E
[Service]
Environment=LD_PRELOAD=/usr/lib/t-old.so
ExecStart=/bin/sleep infinity
PrivateTmp=yes
[Install]
WantedBy=multi-user.target
E
systemctl daemon-reload; systemctl start t-old
apt-get update > /dev/null
`

// What agents tell of updates on real hosts, each held against the package manager's own words in the same minute.
describe.skipIf(leftOut)('updates of Debian 11, 12 and 13', () => {
  let here: HostHouse
  let hosts: RealHost[]
  let rpm: RealHost

  beforeAll(async () => {
    here = await openHostHouse()
    await watchFor(here, [
      watch('refresh', { refresh: 'warning', 'refresh.after': 0 }),
      watch('outdated', { outdated: 'notice', 'outdated.after': 0 }),
      watch('restart', { restart: 'notice' }),
    ])
    hosts = await Promise.all([
      here.lan.add('bullseye', 'tm-old'),
      here.lan.add('bookworm', 'tm-mid'),
      here.lan.add('trixie', 'tm-new'),
    ])
    rpm = await here.lan.add('bookworm', 'tm-rpm', rpmPackages)
    await Promise.all(
      hosts.map(async (host) => {
        host.write('/root/offer.sh', offer)
        await host.sh('sh /root/offer.sh')
      }),
    )
    await Promise.all([...hosts, rpm].map((host) => installAgent(here, host)))
  })
  afterAll(() => here.close())

  const onEach = eachOf(() => hosts)
  const pageWhere = (what: string, host: RealHost, isSo: (page: DevicePage) => boolean) =>
    until(`${host.name}: ${what}`, () => pageOf(here, host.name), isSo)
  const waitingOf = (page: DevicePage) =>
    Object.fromEntries((page.facts.waiting ?? []).map(({ name, since: _since, ...update }) => [name, update]))
  const alertWhere = async (host: RealHost, key: string, isOpen = true) => {
    const { id } = await pageOf(here, host.name)
    await until(
      `${host.name}: ${isOpen ? 'the alert' : 'the end'} of ${key}`,
      () => alertsOf(here, id),
      (alerts) => alerts.some((alert) => alert.watch === key && (alert.status !== 'closed') === isOpen),
    )
  }
  /** Root's timer runs it once an hour; a run that began before what is looked for is no answer. */
  const lookAsRoot = (host: RealHost) =>
    host.sh(`systemctl stop ${packagesUnit}.service; systemctl start ${packagesUnit}.service`)

  onEach('as apt-get would make them: versions, where they come from, and what is held back', async (host) => {
    const words = await host.sh('LC_ALL=C apt-get --simulate dist-upgrade')
    expect(/^(\d+) upgraded, /m.exec(words)![1]).toBe('4')
    const listed = (await host.sh('apt list --upgradable 2> /dev/null')).matchAll(/^(\S+)\//gm)
    const { facts } = await pageWhere('the updates', host, (page) => page.facts.updates?.security === 2)
    const { updates } = facts
    expect(updates).toMatchObject({ security: 2, other: 2, held: 2, heldSecurity: 1, leftover: 0 })
    const waiting = waitingOf(await pageOf(here, host.name))
    expect(waiting).toMatchObject({
      't-urgent': { from: '1', to: '2', security: true },
      // A newer one without that mark has overtaken it: it still mends what the security update did.
      't-overtaken': { from: '1', to: '3', security: true },
      't-ordinary': { from: '1', to: '2', security: false },
      't-library': { from: '1', to: '2', security: false },
      't-held': { from: '1', to: '2', security: true, held: 'asked' },
      't-kept': { from: '1', to: '2', security: false, held: 'kept' },
    })
    expect(Object.keys(waiting).sort()).toEqual([...listed].map(([, name]) => name).sort())
    expect(waiting['t-urgent']!.origin).toMatch(/Debian-Security/)
    for (const line of words.split('\n').filter((text) => text.startsWith('Inst '))) {
      const [, name, from, to] = /^Inst (\S+) \[(\S+)\] \((\S+)/.exec(line)!
      expect(waiting[name!]).toMatchObject({ from, to })
    }
    expect(Math.abs(Date.now() - updates!.listsAt!)).toBeLessThan(5 * minute)
  })

  onEach('lists are fetched by root’s timer; that it fails is told, though apt-get ends well', async (host) => {
    await host.sh('rm -f /run/custode-agent-packages/fetched')
    await lookAsRoot(host)
    const fetched = await pageWhere('lists that were fetched', host, (page) => page.facts.updates?.refresh === null)
    expect(Math.abs(Date.now() - fetched.facts.updates!.listsAt!)).toBeLessThan(minute)
    // Nothing answers at this port of its own.
    await host.sh(`echo 'deb [trusted=yes] http://127.0.0.1:9/ ./' > /etc/apt/sources.list.d/dead.list`)
    const plain = await host.sh('LC_ALL=C apt-get update 2>&1; echo "status $?"')
    expect(plain).toMatch(/^status 0$/m)
    expect(plain).toMatch(/Failed to fetch/)
    await host.sh('rm -f /run/custode-agent-packages/fetched')
    await lookAsRoot(host)
    const failing = await pageWhere('lists that cannot be fetched', host, (page) =>
      Boolean(page.facts.updates?.refresh),
    )
    expect(failing.facts.updates!.refresh!.reason).toMatch(/Failed to fetch http:\/\/127\.0\.0\.1:9\//)
    await alertWhere(host, 'refresh')
    await host.sh('rm /etc/apt/sources.list.d/dead.list')
    await lookAsRoot(host)
    await pageWhere('lists that are fetched again', host, (page) => page.facts.updates?.refresh === null)
    await alertWhere(host, 'refresh', false)
  })

  onEach('which service runs a library that was replaced, until it is started anew', async (host) => {
    const outdated = (page: DevicePage) => page.facts.updates?.outdated?.map(({ name }) => name)
    await lookAsRoot(host)
    await pageWhere('no service on replaced files', host, (page) => outdated(page)?.includes('t-old') === false)
    await host.sh('DEBIAN_FRONTEND=noninteractive apt-get -y -q install t-library > /dev/null')
    const pid = (await host.sh('systemctl show -p MainPID --value t-old')).trim()
    expect(await host.sh(`grep 't-old.so (deleted)' /proc/${pid}/maps`)).not.toBe('')
    await lookAsRoot(host)
    const page = await pageWhere(
      'the service on replaced files',
      host,
      (each) => outdated(each)?.includes('t-old') === true,
    )
    expect(page.facts.updates!.outdated!.find(({ name }) => name === 't-old')).toMatchObject({
      service: true,
      files: [expect.stringMatching(/\/usr\/lib\/t-old\.so$/)],
    })
    await alertWhere(host, 'outdated')
    await host.sh('systemctl restart t-old')
    await lookAsRoot(host)
    await pageWhere('none after its restart', host, (each) => outdated(each)?.includes('t-old') === false)
  })

  onEach('a restart that Debian asks for', async (host) => {
    await host.sh('touch /run/reboot-required')
    const page = await pageWhere('the restart', host, (each) => each.facts.updates?.restartPending === true)
    expect(Math.abs(Date.now() - page.facts.updates!.restartSince!)).toBeLessThan(minute)
    await alertWhere(host, 'restart')
    await host.sh('rm /run/reboot-required')
    await alertWhere(host, 'restart', false)
  })

  onEach('that were installed wait no longer; what is held back stays, since when it was first seen', async (host) => {
    const before = (await pageOf(here, host.name)).facts.updates!
    await host.sh('DEBIAN_FRONTEND=noninteractive apt-get -y -q dist-upgrade > /dev/null')
    const { facts } = await until(
      `${host.name}: nothing but what is held back`,
      () => pageOf(here, host.name),
      (page) => page.facts.updates?.security === 0 && page.facts.updates.other === 0,
      90_000,
    )
    expect(Object.keys(waitingOf(await pageOf(here, host.name))).sort()).toEqual(['t-held', 't-kept'])
    expect(facts.updates!.oldestHeldAt).toBe(before.oldestHeldAt)
    expect(Math.abs(Date.now() - facts.updates!.installedAt!)).toBeLessThan(3 * minute)
  })

  onEach('what root’s script writes only root can write, and it goes with the agent', async (host) => {
    expect((await host.sh('stat -c "%U %a" /run/custode-agent-packages /run/custode-agent-packages/*')).trim()).toMatch(
      /^root 755\n(root 644\n?)+$/,
    )
    expect((await host.sh(`systemctl is-enabled ${packagesUnit}.timer`)).trim()).toBe('enabled')
    await host.sh('/usr/local/lib/custode-agent/custode-agent uninstall > /dev/null')
    const left = `ls -d /etc/systemd/system/${packagesUnit}* /run/custode-agent-packages /usr/local/lib/custode-agent`
    expect(await host.sh(`${left} 2> /dev/null || true`)).toBe('')
  })

  it('by dnf and by zypper, of an archive that both read', async () => {
    await rpm.sh(`set -e
      mkdir -p /etc/rpm /root/specs /srv/repo /etc/dnf/vars /etc/yum.repos.d; cd /root/specs
      echo '%_dbpath /var/lib/rpm' > /etc/rpm/macros
      make() { printf 'Name: %s\\nVersion: %s\\nRelease: 1\\nSummary: x\\nLicense: MIT\\nBuildArch: noarch\\n%%description\\nx\\n%%files\\n' $1 $2 > $1.spec; rpmbuild -bb --quiet --define '_rpmdir /srv/repo' $1.spec; }
      for name in urgent ordinary locked; do make t-$name 1; make t-$name 2; done
      createrepo_c -q /srv/repo
      cat > /root/updateinfo.xml <<'E'
<?xml version="1.0" encoding="UTF-8"?>
<updates><update from="x@custode.example" status="final" type="security" version="1"><id>EX-2026:0001</id><title>t-urgent</title><issued date="2026-11-01 00:00:00"/><updated date="2026-11-01 00:00:00"/><severity>Important</severity><description>x</description><pkglist><collection short="x"><name>x</name><package name="t-urgent" version="2" release="1" epoch="0" arch="noarch" src="t-urgent-2-1.src.rpm"><filename>t-urgent-2-1.noarch.rpm</filename></package></collection></pkglist></update></updates>
E
      modifyrepo_c /root/updateinfo.xml /srv/repo/repodata > /dev/null
      printf '[main]\\nenabled=false\\n' > /etc/dnf/plugins/local.conf
      echo 'excludepkgs=t-locked' >> /etc/dnf/dnf.conf
      echo 12 > /etc/dnf/vars/releasever
      printf '[x]\\nname=x\\nbaseurl=file:///srv/repo\\ngpgcheck=0\\nenabled=1\\n' > /etc/yum.repos.d/x.repo
      rpm -i --nodeps /srv/repo/noarch/t-*-1-1.noarch.rpm
      dnf -q makecache
      mv /usr/bin/apt-get /usr/bin/apt-get.away`)
    await lookAsRoot(rpm)
    const all = (await rpm.sh('dnf -q --disableexcludes=all check-update || true')).trim().split('\n')
    expect(all.map((line) => line.split(/\s+/)[0])).toEqual(['t-locked.noarch', 't-ordinary.noarch', 't-urgent.noarch'])
    const byDnf = await until(
      'what dnf tells',
      () => pageOf(here, rpm.name),
      (page) => page.facts.waiting?.some(({ name }) => name === 't-urgent.noarch') === true,
      60_000,
    )
    expect(waitingOf(byDnf)).toEqual({
      't-urgent.noarch': { from: '1-1', to: '2-1', origin: 'x', security: true, rating: 'important' },
      't-ordinary.noarch': { from: '1-1', to: '2-1', origin: 'x', security: false },
      't-locked.noarch': { from: '1-1', to: '2-1', origin: 'x', security: false, held: 'asked' },
    })
    expect(byDnf.facts.updates).toMatchObject({ security: 1, other: 1, held: 1, restartPending: false, refresh: null })

    await rpm.sh(`set -e
      mv /usr/bin/dnf /usr/bin/dnf.away
      zypper -n -q addrepo -G -f file:///srv/repo x > /dev/null
      zypper -n -q refresh
      zypper -n -q addlock t-locked > /dev/null
      rm -f /run/custode-agent-packages/*`)
    await lookAsRoot(rpm)
    const listed = await rpm.sh('zypper -n -q -x list-updates --all')
    expect([...listed.matchAll(/<update kind="package" name="([^"]*)"/g)].map(([, name]) => name)).toEqual([
      't-locked',
      't-ordinary',
      't-urgent',
    ])
    const byZypper = await until(
      'what zypper tells',
      () => pageOf(here, rpm.name),
      (page) => page.facts.waiting?.some(({ name }) => name === 't-urgent') === true,
    )
    expect(waitingOf(byZypper)).toEqual({
      't-urgent': { from: '1-1', to: '2-1', origin: 'x', security: true },
      't-ordinary': { from: '1-1', to: '2-1', origin: 'x', security: false },
      't-locked': { from: '1-1', to: '2-1', origin: 'x', security: false, held: 'asked' },
    })
  })
})
