import { connect } from 'node:net'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { DevicePage } from '#contract'
import { minute, type Protection, type Values, type WatchSpec } from '#core'
import { protectingPackages, type RealHost } from '../../packages/standins/src/realHosts'
import { alertsOf, installAgent, leftOut, openHostHouse, pageOf, until, watchFor, type HostHouse } from './hostHouse'

const watch = (kind: string, values: Values = {}): WatchSpec => ({
  key: kind,
  kind,
  name: kind,
  why: '',
  osFamilies: [],
  values: { hold: 0, ...values },
})
/** Nothing on the machine has a rule about it. */
const port = 7321

const nft = (family: string, ...chains: string[]) =>
  `nft -f - <<'RULES'\ntable ${family} t {\n${chains.join('\n')}\n}\nRULES`
/** A chain for what arrives. */
const input = (...rules: string[]) => ['chain input {', 'type filter hook input priority 0', ...rules, '}'].join('\n')
/** What the agent needs to be answered, and what a link needs for IPv6. */
const answers = ['ct state established,related accept', 'meta l4proto ipv6-icmp accept']

/** What is done to the machine, and who then guards each protocol; null: nobody. */
const states: [string, string, (string | null)[]][] = [
  ['no rules', 'true', [null, null]],
  ['nftables drops what no rule names', nft('inet', input('policy drop', ...answers)), ['nftables', 'nftables']],
  ['nftables drops it of IPv4 alone', nft('ip', input('policy drop', answers[0]!)), ['nftables', null]],
  [
    'a few are shut out',
    nft(
      'inet',
      'set bad {\ntype ipv4_addr\nelements = { 192.0.2.1, 192.0.2.9 }\n}',
      input('ip saddr @bad drop', 'tcp dport 25 reject'),
    ),
    [null, null],
  ],
  [
    'the last rule of another chain refuses',
    nft(
      'inet',
      'chain rest {\ncounter log prefix "no: "\nreject with icmpx admin-prohibited\n}',
      input(...answers, 'tcp dport 22 accept', 'jump rest'),
    ),
    ['nftables', 'nftables'],
  ],
  ['the last rule comes after one that lets all in', nft('inet', input('counter accept', 'drop')), [null, null]],
  ['iptables', 'iptables -P INPUT DROP; iptables -A INPUT -m state --state ESTABLISHED -j ACCEPT', ['iptables', null]],
  [
    'iptables in the older tables',
    'iptables-legacy -A INPUT -m state --state ESTABLISHED -j ACCEPT; iptables-legacy -A INPUT -j REJECT',
    ['iptables', null],
  ],
  ['ufw', 'ufw --force enable', ['ufw', 'ufw']],
  ['ufw that lets in', 'ufw default allow incoming; ufw --force enable', [null, null]],
  ['firewalld', 'systemctl start firewalld', ['firewalld', 'firewalld']],
]
const clean = `systemctl stop firewalld; ufw default deny incoming; ufw --force disable; nft flush ruleset
  for t in iptables-legacy ip6tables-legacy; do $t -F; $t -X; $t -P INPUT ACCEPT; $t -P FORWARD ACCEPT; done; true`

// What agents say of what protects real hosts, held against a connection to them, and the system's own tools.
describe.skipIf(leftOut)('protection, Debian 11 and 13', () => {
  let here: HostHouse
  let host: RealHost
  let bare: RealHost
  /** Its address on the link, by IPv6. */
  let link = ''

  beforeAll(async () => {
    here = await openHostHouse()
    await watchFor(here, [
      ...['antivirus', 'firewall', 'encryption'].map((kind) => watch(kind)),
      watch('clock-kept', { hold: minute }),
    ])
    ;[host, bare] = await Promise.all([
      here.lan.add('trixie', 'tm-guarded', protectingPackages),
      here.lan.add('bullseye', 'tm-bare'),
    ])
    await host.sh(`${clean}; ip -6 addr show scope link`)
    await Promise.all([host, bare].map((each) => installAgent(here, each)))
    link = (
      await host.sh(`ip -6 -o addr show scope link | sed -n 's/.*inet6 \\(fe80[^/]*\\).*/\\1/p' | head -n 1`)
    ).trim()
  })
  afterAll(() => here.close())

  const protectionWhere = async (
    of: RealHost,
    what: string,
    isSo: (protection: Protection) => boolean,
    within?: number,
  ) =>
    (
      await until(
        `${of.name}: ${what}`,
        () => pageOf(here, of.name),
        (page: DevicePage) => page.facts.protection !== undefined && isSo(page.facts.protection),
        within,
      )
    ).facts.protection!
  const openAlerts = async (of: RealHost) => {
    const { id } = await pageOf(here, of.name)
    const alerts = await alertsOf(here, id)
    return alerts
      .filter(({ status }) => status !== 'closed')
      .map(({ watch: key, instance }) => `${key} ${instance}`.trim())
  }

  /**
   * Whether a connection from the next machine comes through, or is left to wait, or refused by a rule. Whoever stood
   * still meanwhile hears of the time before the answer, which is there: that is looked for once more.
   */
  const comesIn = (address: string) =>
    new Promise<boolean>((resolve) => {
      const socket = connect({ host: address, port, timeout: 1500 })
      const end = (isIn: boolean) => () => {
        socket.destroy()
        resolve(isIn)
      }
      const late = () => setTimeout(end(false), 200)
      socket.on('connect', end(true)).on('timeout', late).on('error', end(false))
    })

  /**
   * Started, it would be a look that has begun before, where its timer has just done so; and systemd lets nobody begin
   * more than five in ten seconds.
   */
  const lookAnew = () =>
    host.sh('systemctl reset-failed custode-agent-protection; systemctl restart custode-agent-protection')

  /** What comes in by IPv4 and by IPv6, once the agent tells the same: some take a moment to set their rules. */
  const firewallsNow = async (what: string): Promise<[Protection['firewalls'], boolean[]]> => {
    for (let attempt = 1; ; attempt++) {
      await lookAnew()
      const reach = [await comesIn(host.address), await comesIn(`${link}%${here.lan.bridge}`)]
      const isSo = ({ firewalls }: Protection) => reach.every((isIn, i) => firewalls[i]?.isOn === !isIn)
      try {
        return [
          (await protectionWhere(host, `${what}, of which comes in ${String(reach)}`, isSo, 5000)).firewalls,
          reach,
        ]
      } catch (error) {
        if (attempt === 5) throw error
      }
    }
  }

  it('a firewall is on where what no rule names does not come in', async () => {
    expect(link).not.toBe('')
    await host.sh(
      `systemd-run --unit=t-listen --property=Restart=always /usr/bin/nc.openbsd -6 -k -l ${port} 2>/dev/null || systemd-run --unit=t-listen python3 -c '
import socket
s = socket.create_server(("::", ${port}), family=socket.AF_INET6, dualstack_ipv6=True)
while True: s.accept()[0].close()'`,
    )
    await until('it listens', () => comesIn(host.address), Boolean)
    const seen: [string, (string | null)[], boolean[]][] = []
    for (const [what, script] of states) {
      await host.sh(`${clean}\n${script}`)
      const [firewalls, reach] = await firewallsNow(what)
      seen.push([what, firewalls.map(({ isOn, by }) => (isOn ? by : null)), reach])
    }
    expect(seen).toEqual(states.map(([what, , by]) => [what, by, by.map((who) => who === null)]))
    const rights = 'stat -c "%U %G %a" /run/custode-agent-protection /run/custode-agent-protection/*'
    expect((await host.sh(rights)).trim()).toBe('root custode-agent 750\nroot custode-agent 640')
    await host.sh(clean)
  })

  it('what it cannot read it does not know: neither on nor off', async () => {
    await host.sh(clean)
    await host.sh(
      'mv /usr/sbin/nft /usr/sbin/nft.real; printf "#!/bin/sh\\necho no memory >&2; exit 1\\n" > /usr/sbin/nft; chmod +x /usr/sbin/nft',
    )
    await lookAnew()
    const { firewalls } = await protectionWhere(host, 'not known', (told) => told.firewalls[0]?.isOn === null)
    expect(firewalls[0]!.trouble).toBe('its rules could not be listed: no memory')
    await host.sh('mv /usr/sbin/nft.real /usr/sbin/nft')
  })

  it('a machine with nothing that could set rules is open, and that is told of', async () => {
    await bare.sh('! command -v nft && ! command -v iptables')
    const { firewalls, scanners } = await protectionWhere(bare, 'told', () => true)
    expect(firewalls.map(({ isOn, by }) => [isOn, by])).toEqual(firewalls.map(() => [false, '']))
    expect(scanners).toEqual([])
    await until(
      'the alerts',
      () => openAlerts(bare),
      (open) => open.includes('firewall IPv4') && open.includes('antivirus'),
    )
  })

  it('ClamAV is on where its daemon runs, with definitions of when sigtool says', async () => {
    expect((await host.run('systemctl is-active clamav-daemon')).stdout.trim()).toBe('inactive')
    const [off] = (await protectionWhere(host, 'off', ({ scanners }) => scanners[0]?.isOn === false)).scanners
    expect(off).toEqual({ name: 'ClamAV', isOn: false, definitionsAt: null })
    await until(
      'off',
      () => openAlerts(host),
      (open) => open.includes('antivirus'),
    )
    // Without the definitions of its makers, which it would fetch, it runs on one of the house's own.
    await host.sh(`mkdir -p /etc/systemd/system/clamav-daemon.service.d
      printf '[Unit]\\nConditionPathExistsGlob=\\n' > /etc/systemd/system/clamav-daemon.service.d/t.conf
      systemctl stop clamav-freshclam
      printf '44d88612fea8a8f36de82e1278abb02f:68:House.Test\\n' > /var/lib/clamav/house.hdb
      systemctl daemon-reload; systemctl start clamav-daemon; systemctl restart custode-agent`)
    await until(
      'it runs',
      async () => (await host.run('systemctl is-active clamav-daemon')).stdout.trim(),
      (is) => is === 'active',
    )
    await protectionWhere(host, 'on', ({ scanners }) => scanners[0]?.isOn === true)
    await host.sh(
      `{ printf 'ClamAV-VDB:07 Nov 2025 08-27 -0500:27086:2047:90:0123456789abcdef0123456789abcdef:x:house:1762522020:'; head -c 600 /dev/zero | tr '\\0' ' '; } > /var/lib/clamav/daily.cvd`,
    )
    const info = (await host.run('sigtool --info /var/lib/clamav/daily.cvd')).stdout
    const built = /^Build time: (\d+ \w+ \d+) (\d+):(\d+) ([+-]\d{4})$/m.exec(info)
    expect(info).toMatch(/^Build time: /m)
    await host.sh('systemctl restart custode-agent')
    const { scanners } = await protectionWhere(
      host,
      'with definitions',
      (told) => told.scanners[0]?.definitionsAt != null,
    )
    expect(scanners[0]!.definitionsAt).toBe(Date.parse(`${built![1]!} ${built![2]!}:${built![3]!} ${built![4]!}`))
    await until(
      'old',
      () => openAlerts(host),
      (open) => open.includes('antivirus ClamAV') && !open.includes('antivirus'),
    )
  })

  it('its clock is what timedatectl says, and its volumes what lsblk does', async () => {
    await host.addDisk('/srv/data', 64)
    for (const of of [host, bare]) {
      const kept = (await of.sh('timedatectl show --property=NTPSynchronized --value')).trim()
      const { clock } = await protectionWhere(of, 'its clock', () => true)
      expect(clock.isSynchronised).toBe(kept === 'yes')
    }
    const { volumes } = await protectionWhere(host, 'the new disk', (told) =>
      told.volumes.some(({ name }) => name === '/srv/data'),
    )
    const types = (await host.sh('lsblk --noheadings --inverse --output TYPE "$(findmnt -no SOURCE /srv/data)"')).trim()
    expect(types.split(/\s+/)).not.toContain('crypt')
    expect(volumes.find(({ name }) => name === '/srv/data')).toEqual({ name: '/srv/data', isEncrypted: false })
    expect(volumes.find(({ name }) => name === '/')!.isEncrypted).toBeNull()
    await until(
      'the alert',
      () => openAlerts(host),
      (open) => open.includes('encryption /srv/data'),
    )
  })
})
