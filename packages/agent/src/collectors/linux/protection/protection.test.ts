import { mkdirSync, mkdtempSync, rmSync, symlinkSync, utimesSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { hour, minute } from '#core'
import { firewallReader, firewallsOf, protocolsSpoken, readRules } from './firewall'
import { parseTimedate } from './index'
import { definitionsAt, madeAt, parseUnits, scanners } from './scanners'
import { guardedVolumes } from './volumes'

let root: string
beforeEach(() => {
  root = mkdtempSync(join(tmpdir(), 'custode-protection-'))
})
afterEach(() => rmSync(root, { recursive: true }))
function put(files: Readonly<Record<string, string>>): void {
  for (const [path, text] of Object.entries(files)) {
    mkdirSync(dirname(join(root, path)), { recursive: true })
    writeFileSync(join(root, path), text)
  }
}

const both = ['IPv4', 'IPv6'] as const
/** What is said of rules: for each protocol who guards it, or that it is open. */
const told = (text: string) =>
  firewallsOf(readRules(text), both).map(
    ({ isOn, by, trouble }) => trouble ?? `${isOn ? 'guarded' : 'open'} ${by}`.trim(),
  )
const nft = (...rules: string[]) => `== nft 0\n${rules.join('\n')}\n\n`
const table = (family: string, name: string, ...chains: string[]) => [`table ${family} ${name} {`, ...chains, '}']
const chain = (name: string, ...rules: string[]) => [`\tchain ${name} {`, ...rules.map((rule) => `\t\t${rule}`), '\t}']
const input = (policy: string) => `type filter hook input priority filter; policy ${policy};`

describe('what a firewall lets in', () => {
  it.each<[string, string, string[]]>([
    ['no rules at all', nft(), ['open', 'open']],
    [
      'what no rule names is dropped, by both protocols',
      nft(...table('inet', 'filter', ...chain('input', input('drop'), 'tcp dport 22 accept'))),
      ['guarded nftables', 'guarded nftables'],
    ],
    [
      'only what comes by one of them',
      nft(...table('ip', 'mine', ...chain('input', input('drop')))),
      ['guarded nftables', 'open'],
    ],
    [
      'a few are shut out, the others let in',
      nft(...table('inet', 'bans', ...chain('input', input('accept'), 'ip saddr @bad reject', 'tcp dport 25 drop'))),
      ['open nftables', 'open nftables'],
    ],
    [
      'the last rule refuses all, in another chain, with words beside it',
      // As nft 1.0.6 prints it.
      nft(
        ...table(
          'inet',
          'filter',
          '\tset good {',
          '\t\ttype ipv4_addr',
          '\t\tflags interval',
          '\t}',
          '',
          ...chain(
            'rest',
            'limit rate 3/minute log prefix "x"',
            'counter reject with icmpx admin-prohibited comment "all the rest"',
          ),
          ...chain(
            'input',
            input('accept'),
            'ct state vmap { invalid : drop, established : accept, related : accept }',
            'iif "lo" accept comment "drop nothing here"',
            'ip saddr @good accept',
            'tcp dport { 22, 80, 443, 1000-2000 } counter accept',
            'counter log prefix "in: drop" level info goto rest',
          ),
        ),
      ),
      ['guarded nftables', 'guarded nftables'],
    ],
    [
      'all is let in before the last rule',
      nft(...table('inet', 'filter', ...chain('input', input('drop'), 'counter accept', 'drop'))),
      ['open nftables', 'open nftables'],
    ],
    [
      'what goes out, and what goes through, is something else',
      nft(
        ...table(
          'inet',
          'filter',
          ...chain('out', 'type filter hook output priority filter; policy drop;'),
          ...chain('through', 'type filter hook forward priority filter; policy drop;'),
          ...chain('unused', 'drop'),
        ),
      ),
      ['open', 'open'],
    ],
    [
      'chains that lead to each other end',
      nft(
        ...table(
          'ip',
          'filter',
          ...chain('a', 'jump b'),
          ...chain('b', 'jump a'),
          ...chain('input', input('drop'), 'jump a'),
        ),
      ),
      ['guarded nftables', 'open'],
    ],
    [
      'chains that lead on twice each are followed once',
      nft(
        ...table(
          'ip',
          'filter',
          ...Array.from({ length: 60 }, (_, i) => chain(`c${i}`, `jump c${i + 1}`, `jump c${i + 1}`)).flat(),
          ...chain('input', input('drop'), 'jump c0'),
        ),
      ),
      ['guarded nftables', 'open'],
    ],
    [
      'of iptables, by the tables of nftables',
      // As nft 1.0.6 prints what iptables 1.8.9 made.
      nft(
        '# Warning: table ip filter is managed by iptables-nft, do not touch!',
        ...table(
          'ip',
          'filter',
          ...chain('INPUT', input('accept'), 'ct state established counter accept', 'counter jump own'),
          ...chain('own', 'tcp dport 22 counter accept', ' counter log prefix "no: "', 'counter reject'),
        ),
      ),
      ['guarded iptables', 'open'],
    ],
    [
      'the same by iptables-save, and IPv6 without a rule',
      '== ip 0\n*filter\n:INPUT ACCEPT [0:0]\n:FORWARD ACCEPT [0:0]\n:own - [0:0]\n' +
        '-A INPUT -m conntrack --ctstate ESTABLISHED -j ACCEPT\n-A INPUT -j own\n' +
        '-A own -p tcp -m tcp --dport 22 -j ACCEPT\n-A own -m comment --comment "the rest" -j LOG --log-prefix "no: "\n' +
        '-A own -j REJECT --reject-with icmp-port-unreachable\nCOMMIT\n\n' +
        '== ip6 0\n*filter\n:INPUT ACCEPT [0:0]\nCOMMIT\n\n',
      ['guarded iptables', 'open iptables'],
    ],
    [
      'in the older tables alone',
      `${nft()}== ip 0\n*filter\n:INPUT DROP [0:0]\n-A INPUT -i lo -j ACCEPT\nCOMMIT\n\n`,
      ['guarded iptables', 'open'],
    ],
    [
      'of ufw',
      '== ip 0\n*filter\n:INPUT DROP [0:0]\n:ufw-before-input - [0:0]\n-A INPUT -j ufw-before-input\nCOMMIT\n\n',
      ['guarded ufw', 'open'],
    ],
    [
      'of ufw, which lets in by default: what is meant for the machine passes its last word',
      // As nft 1.1.3 prints what ufw 0.36.2 made.
      nft(
        ...table(
          'ip',
          'filter',
          ...chain('ufw-before-input', 'iifname "lo" counter accept', 'counter jump ufw-not-local'),
          ...chain('INPUT', input('accept'), 'counter jump ufw-before-input'),
          ...chain('ufw-not-local', 'fib daddr type local counter return', 'counter drop'),
        ),
      ),
      ['open ufw', 'open'],
    ],
    [
      'the same by iptables-save',
      '== ip 0\n*filter\n:INPUT ACCEPT [0:0]\n:ufw-not-local - [0:0]\n-A INPUT -j ufw-not-local\n' +
        '-A ufw-not-local -m addrtype --dst-type LOCAL -j RETURN\n-A ufw-not-local -j DROP\nCOMMIT\n',
      ['open ufw', 'open'],
    ],
    [
      'of firewalld, in a table of its own',
      // Laid out as firewalld lays out its own; what it really makes is looked at on a real host.
      nft(
        'table inet firewalld { # progname firewalld',
        '\tflags owner,persist',
        '',
        ...chain(
          'filter_INPUT',
          'type filter hook input priority filter + 10; policy accept;',
          'ct state { established, related } accept',
          'iifname "lo" accept',
          'ct state invalid drop',
          'jump filter_INPUT_ZONES',
          'reject with icmpx admin-prohibited',
        ),
        ...chain('filter_INPUT_ZONES', 'iifname "host0" goto filter_IN_public', 'goto filter_IN_public'),
        ...chain('filter_IN_public', 'jump filter_IN_public_allow', 'meta l4proto { icmp, ipv6-icmp } accept'),
        ...chain('filter_IN_public_allow', 'tcp dport 22 accept'),
        '}',
      ),
      ['guarded firewalld', 'guarded firewalld'],
    ],
    [
      'one that could not be listed may be what guards',
      `== nft 1\nnetlink: Error: cache initialization failed: Operation not permitted\n\n== ip 0\n*filter\n:INPUT DROP [0:0]\nCOMMIT\n`,
      [
        'guarded iptables',
        'its rules could not be listed: netlink: Error: cache initialization failed: Operation not permitted',
      ],
    ],
    [
      'too many to be read',
      nft(...table('ip', 'filter', ...chain('input', 'accept # '.padEnd(2_000_001, 'x')))),
      ['it has too many rules to be read', 'it has too many rules to be read'],
    ],
  ])('%s', (_, text, expected) => {
    expect(told(text)).toEqual(expected)
  })
  it('is asked of what the machine speaks beyond itself', () => {
    const address = { netmask: '', mac: '', cidr: null }
    const loop = { ...address, address: '::1', family: 'IPv6' as const, internal: true, scopeid: 0 }
    const eth = { ...address, address: '198.18.0.2', family: 'IPv4' as const, internal: false }
    expect(protocolsSpoken({ lo: [loop], eth0: [eth] })).toEqual(['IPv4'])
    expect(protocolsSpoken({ lo: [loop] })).toEqual([])
  })
  it('is not known while nobody lists its rules, and waits for the first time', () => {
    let now = 0
    const file = join(root, 'firewall')
    const read = firewallReader(file, join(root, 'timer'), () => now)
    const trouble = () => read()?.map((firewall) => firewall.trouble ?? '')[0]
    expect(trouble()).toMatch(/only root may read its rules/)
    put({ timer: '' })
    expect(read()).toBeNull()
    now = 20 * minute
    expect(trouble()).toMatch(/not asked yet; see: systemctl status/)
    put({ firewall: nft(...table('inet', 'filter', ...chain('input', input('drop')))) })
    expect(read()?.map(({ isOn }) => isOn)[0]).toBe(true)
    put({ firewall: nft() })
    utimesSync(file, 1, 1)
    expect(read()?.map(({ isOn }) => isOn)[0]).toBe(false)
    now += 2 * hour
    expect(trouble()).toMatch(/not asked for more than an hour/)
  })
})

describe('definitions of ClamAV', () => {
  // The example of ClamAV's documentation of its signatures (“CVD”), from memory.
  const head = 'ClamAV-VDB:10 Mar 2008 09-41 +0000:45:263497:21:X:AhyT:ccordes:1205142075:'
  it.each([
    ['were made when their file says', head, Date.UTC(2008, 2, 10, 9, 41)],
    ['on clocks elsewhere', 'ClamAV-VDB:07 Nov 2023 08-27 -0500:27086:2047:90:X:Y:z:1:', Date.UTC(2023, 10, 7, 13, 27)],
    ['with a month that there is not', 'ClamAV-VDB:07 Nev 2023 08-27 -0500:1:', null],
    ['long before there were any', 'ClamAV-VDB:07 Nov 0001 08-27 +0000:1:', null],
    ['cut off', 'ClamAV-VDB:07 N', null],
    ['of something else', '<html>', null],
  ])('%s', (_, text, at) => {
    expect(madeAt(text)).toBe(at)
  })
  it('are those of every day, the newest of them', () => {
    expect(definitionsAt(join(root, 'none'))).toBeNull()
    put({ 'db/main.cvd': head, 'db/freshclam.dat': 'x' })
    expect(definitionsAt(join(root, 'db'))).toBeNull()
    put({ 'db/daily.cvd': head, 'db/daily.cld': 'ClamAV-VDB:07 Nov 2023 08-27 +0000:1:' })
    expect(definitionsAt(join(root, 'db'))).toBe(Date.UTC(2023, 10, 7, 8, 27))
  })
  it('that cannot be read cost nothing but themselves', async () => {
    put({ 'db/daily.cvd/x': '' })
    const [scanner] = await scanners(join(root, 'db'))
    expect(scanner).toMatchObject({ name: 'ClamAV' })
    expect(scanner!.definitionsAt).toBeUndefined()
    expect(scanner!.trouble).toMatch(/^its definitions cannot be read: EISDIR/)
  })
  it('and its daemon is what systemd says', () => {
    expect(parseUnits('LoadState=loaded\nActiveState=active\n\nLoadState=not-found\nActiveState=inactive\n')).toEqual([
      { isThere: true, runs: true },
      { isThere: false, runs: false },
    ])
  })
})

describe('volumes', () => {
  /** As the kernel shows them: a disk of two partitions, one of them decrypted as dm-0, in it two volumes. */
  function machine(uuid: string): void {
    put({
      'proc/filesystems': 'nodev\tproc\n\text4\n\tvfat\n',
      'proc/self/mountinfo': [
        '1 0 254:1 / / rw - ext4 /dev/mapper/vg-root rw',
        '2 1 8:1 / /boot rw - ext4 /dev/sda1 rw',
        '3 1 0:5 / /proc rw - proc proc rw',
        '4 1 8:17 / /srv rw - ext4 /dev/sdb1 rw',
      ].join('\n'),
      'proc/swaps':
        'Filename\tType\tSize\tUsed\tPriority\n/dev/zram0 partition 10 0 100\n/dev/dm-2 partition 10 0 -2\n',
      'sys/class/block/sda1/partition': '1\n',
      'sys/class/block/sda2/partition': '2\n',
      'sys/class/block/sdb1/partition': '1\n',
      'sys/class/block/dm-0/dm/uuid': `${uuid}\n`,
      'sys/class/block/dm-0/slaves/sda2/partition': '2\n',
      'sys/class/block/dm-1/dm/uuid': 'LVM-abc\n',
      'sys/class/block/dm-1/slaves/dm-0/x': '',
      'sys/class/block/dm-2/dm/uuid': 'LVM-abd\n',
      'sys/class/block/dm-2/slaves/dm-0/x': '',
      'dev/dm-1': '',
      'dev/dm-2': '',
      'dev/sda1': '',
      'dev/sdb1': '',
    })
    mkdirSync(join(root, 'dev/mapper'))
    symlinkSync('../dm-1', join(root, 'dev/mapper/vg-root'))
  }
  const found = () => guardedVolumes(root).map(({ name, isEncrypted }) => [name, isEncrypted])
  it.each([
    ['CRYPT-LUKS2-0123456789abcdef-root', true],
    ['CRYPT-LUKS1-0123456789abcdef-root', true],
    ['CRYPT-PLAIN-swap', true],
    ['CRYPT-VERITY-0123456789abcdef-root', false],
    ['LVM-0123456789abcdef', false],
  ])('on what the device mapper calls %s are encrypted: %s', (uuid, isEncrypted) => {
    machine(uuid)
    expect(found()).toEqual([
      ['/', isEncrypted],
      ['/boot', false],
      ['/srv', false],
      ['swap', isEncrypted],
    ])
  })
  it('on several devices are as good as the worst of them', () => {
    machine('CRYPT-LUKS2-0-root')
    put({ 'sys/class/block/dm-1/slaves/sdb1/x': '' })
    expect(found()[0]).toEqual(['/', false])
  })
  it('are known by their numbers where their names are not there', () => {
    machine('CRYPT-LUKS2-0-root')
    rmSync(join(root, 'dev/mapper'), { recursive: true })
    expect(found()[0]).toEqual(['/', null])
    mkdirSync(join(root, 'sys/dev/block'), { recursive: true })
    symlinkSync('../../class/block/dm-1', join(root, 'sys/dev/block/254:1'))
    expect(found()[0]).toEqual(['/', true])
  })
  it('that the kernel does not tell of are not known', () => {
    machine('CRYPT-LUKS2-0-root')
    put({ 'proc/self/mountinfo': '1 0 0:30 / / rw - overlay overlay rw\n' })
    expect(guardedVolumes(root)[0]).toEqual({
      name: '/',
      isEncrypted: null,
      trouble: 'overlay is no device that the kernel tells of',
    })
  })
})

it.each([
  ['NTP=yes\nNTPSynchronized=yes\n', { isSynchronised: true }],
  ['NTP=no\nNTPSynchronized=yes\n', { isSynchronised: true }],
  ['NTP=yes\nNTPSynchronized=no\n', { isSynchronised: false, because: 'no-server' }],
  ['NTP=no\nNTPSynchronized=no\n', { isSynchronised: false, because: 'no-service' }],
  ['', { isSynchronised: null }],
])('the clock, by timedatectl: %j', (text, expected) => {
  expect(parseTimedate(text)).toMatchObject(expected)
})
