import { afterAll, beforeAll, describe, expect } from 'vitest'
import type { DevicePage } from '#contract'
import { day, type ReadOnlyReason } from '#core'
import type { AtaDrive, RealHost } from '../../packages/standins/src/realHosts'
import { inTransaction } from '../../packages/server/src/db'
import { makeFigureRoom, writeFigures } from '../../packages/server/src/store/series/figures'
import { numberSeries } from '../../packages/server/src/store/series/names'
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
  watchSpec as watch,
} from './hostHouse'

const quick = { hold: 0, 'clear.hold': 0 }
const drive = (attributes: AtaDrive['attributes'] = {}, more: Partial<AtaDrive> = {}): AtaDrive => ({
  model: 'Lantern Field LF2000',
  serial: 'LF-000001',
  rotation: 7200,
  passed: true,
  attributes: { 5: 0, 197: 0, 198: 0, ...attributes },
  ...more,
})

// What agents tell of the disks and drives of real hosts, held against df, mount and smartctl in the same minute.
describe.skipIf(leftOut)('disks of Debian 11, 12 and 13', () => {
  let here: HostHouse
  let hosts: RealHost[]

  beforeAll(async () => {
    here = await openHostHouse()
    await watchFor(here, [
      watch('space', 'disk-space', { ...quick, 'warning.bytes': null, 'critical.bytes': null, 'clear.bytes': null }),
      watch('share', 'disk-space', { ...quick, disks: ['/mnt/*'], media: 'network' }),
      watch('filling', 'disk-space', {
        ...quick,
        disks: ['/srv/fills'],
        'warning.percent': null,
        'warning.bytes': null,
        'critical.percent': null,
        'critical.bytes': null,
        'warning.left': 5 * day,
      }),
      watch('inodes', 'disk-inodes', quick),
      watch('read-only', 'disk-read-only', { hold: 0 }),
      watch('drives', 'drive-health', {}),
    ])
    hosts = await Promise.all([
      here.lan.add('bullseye', 'tm-old'),
      here.lan.add('bookworm', 'tm-mid'),
      here.lan.add('trixie', 'tm-new'),
    ])
    await Promise.all(
      hosts.map(async (host) => {
        host.setDrives({ sdx: drive() })
        await installAgent(here, host)
      }),
    )
  })
  afterAll(() => here.close())

  const onEach = eachOf(() => hosts)
  const pageWhere = (what: string, host: RealHost, isSo: (page: DevicePage) => boolean) =>
    until(`${host.name}: ${what}`, () => pageOf(here, host.name), isSo)
  const diskOf = (page: DevicePage, mount: string) => page.facts.disks?.find((disk) => disk.mount === mount)
  const alertWhere = async (host: RealHost, key: string, instance: string, isOpen = true) => {
    const { id } = await pageOf(here, host.name)
    const found = await until(
      `${host.name}: ${isOpen ? 'the alert' : 'the end'} of ${key} ${instance}`,
      () => alertsOf(here, id),
      (alerts) =>
        alerts.some(
          (alert) => alert.watch === key && alert.instance === instance && (alert.status !== 'closed') === isOpen,
        ),
    )
    return found.find((alert) => alert.watch === key && alert.instance === instance)!
  }

  onEach('are as full as df reckons, with what is reserved for root left out', async (host) => {
    await host.addDisk('/srv/reserved', 64, { make: ['-m', '20'] })
    await host.sh('head -c 25M /dev/zero > /srv/reserved/file; sync')
    const [size, used, available, share] = (
      await host.sh('df -B1 --output=size,used,avail,pcent /srv/reserved | tail -1')
    )
      .trim()
      .split(/\s+/)
      .map((word) => Number(word.replace('%', '')))
    // A report may have been made while the last of it was written.
    const page = await pageWhere('the disk as df has it', host, (page) =>
      page.disks.some(({ mount, free }) => mount === '/srv/reserved' && free === available),
    )
    const disk = page.disks.find(({ mount }) => mount === '/srv/reserved')!
    expect(diskOf(page, '/srv/reserved')!.size).toBe(size)
    expect([disk.size, disk.free]).toEqual([used! + available!, available])
    // It rounds up, to whole per cent.
    expect(Math.ceil((1 - disk.free / disk.size) * 100)).toBe(share)
    await host.sh('head -c 25M /dev/zero > /srv/reserved/more 2> /dev/null; sync')
    await alertWhere(host, 'space', '/srv/reserved')
    await host.sh('umount /srv/reserved')
    await alertWhere(host, 'space', '/srv/reserved', false)
  })

  onEach('that can hold no more files are told, however many bytes are free', async (host) => {
    await host.addDisk('/srv/many', 64, { make: ['-N', '256'] })
    await host.sh('cd /srv/many; seq 300 | xargs touch 2> /dev/null; sync')
    // A report may have been made while the last of them were.
    const alert = await until(
      `${host.name}: the alert of the last one`,
      () => alertWhere(host, 'inodes', '/srv/many'),
      ({ severity }) => severity === 'critical',
    )
    const [all, free] = (await host.sh('df --output=itotal,iavail /srv/many | tail -1')).trim().split(/\s+/)
    expect([alert.severity, alert.evidence!.text]).toEqual([
      'critical',
      `/srv/many has 0 % of its ${Number(all).toLocaleString('en')} inodes free`,
    ])
    expect(free).toBe('0')
    await host.sh('rm /srv/many/*; sync')
    await alertWhere(host, 'inodes', '/srv/many', false)
  })

  onEach('that became read-only: after an error, by hand, and as is meant', async (host) => {
    const readOnly = (mount: string, reason: ReadOnlyReason | undefined) =>
      pageWhere(`${mount} is ${reason ?? 'writable'}`, host, (page) => diskOf(page, mount)?.readOnly === reason)
    host.write('/etc/fstab', '/dev/made /srv/by-hand ext4 defaults 0 2\n/dev/made /srv/meant ext4 ro 0 2\n')
    const device = await host.addDisk('/srv/broken', 16, { mount: '-o errors=remount-ro' })
    await host.addDisk('/srv/by-hand', 16)
    await host.addDisk('/srv/meant', 16)
    await readOnly('/srv/broken', undefined)
    await readOnly('/srv/by-hand', undefined)
    // What the kernel does by itself when it reads something impossible (ext4(5), errors=remount-ro).
    host.breakDisk(device)
    await host.sh('! touch /srv/broken/file 2> /dev/null')
    await readOnly('/srv/broken', 'fault')
    expect((await alertWhere(host, 'read-only', '/srv/broken')).severity).toBe('critical')
    await host.sh('mount -o remount,ro /srv/by-hand; mount -o remount,ro /srv/meant')
    await readOnly('/srv/by-hand', 'changed')
    expect((await alertWhere(host, 'read-only', '/srv/by-hand')).severity).toBe('warning')
    await host.sh('mount -o remount,rw /srv/by-hand')
    await alertWhere(host, 'read-only', '/srv/by-hand', false)
    const page = await readOnly('/srv/meant', 'meant')
    expect((await alertsOf(here, page.id)).some(({ instance }) => instance === '/srv/meant')).toBe(false)
  })

  onEach('that fill from day to day are told before they are full', async (host) => {
    await host.addDisk('/srv/fills', 128)
    const { id, disks } = await pageWhere('the disk', host, (page) =>
      page.disks.some(({ mount }) => mount === '/srv/fills'),
    )
    const free = disks.find(({ mount }) => mount === '/srv/fills')!.free
    const today = Math.floor(Date.now() / day)
    // So much less on each of the last three weeks that nothing is left in three days.
    const step = Math.round(free / 3 / 1024)
    await inTransaction(here.house.pool, async (tx) => {
      const name = { metric: 'disk.free', instance: '/srv/fills' } as const
      const [number] = [...(await numberSeries(tx, [{ deviceId: id, ...name }])).get(id)!.values()]
      await makeFigureRoom(tx)
      await writeFigures(
        tx,
        Array.from({ length: 21 }, (_, i) => {
          const least = Math.round(free / 1024) + step * (20 - i)
          const figures = { count: 1, min: least, max: least, sum: least, low: least, high: least }
          return { ...figures, deviceId: id, n: number!.n, day: today - 21 + i }
        }),
      )
      // What is kept of it in memory is from before.
      await tx.query('update device set version = version + 1 where id = $1', [id])
    })
    const alert = await alertWhere(host, 'filling', '/srv/fills')
    expect(alert.evidence!.text).toMatch(
      /^9\d(\.\d)? % and \d+ MB free of \d+ MB, full in 3 days$|^100 % .*full in 3 days$/,
    )
    expect((await pageOf(here, host.name)).fills).toMatchObject([{ mount: '/srv/fills' }])
    await host.sh('umount /srv/fills')
    await alertWhere(host, 'filling', '/srv/fills', false)
  })

  onEach(
    'that another machine shares are asked where they are wanted, and one that hangs costs itself alone',
    async (host) => {
      await host.sh(
        `[ -e /dev/fuse ] || mknod -m 666 /dev/fuse c 10 229
      ssh-keygen -q -t ed25519 -N '' -f /root/.ssh/id_ed25519; cat /root/.ssh/id_ed25519.pub >> /root/.ssh/authorized_keys
      mkdir -p /mnt/team; echo user_allow_other >> /etc/fuse.conf
      sshfs -o allow_other,StrictHostKeyChecking=no root@localhost:/srv /mnt/team`,
      )
      const page = await pageWhere('the share', host, (page) => page.disks.some(({ mount }) => mount === '/mnt/team'))
      expect(diskOf(page, '/mnt/team')).toMatchObject({ remote: true, device: 'root@localhost:/srv' })
      const [used, available] = (await host.sh('df -B1 --output=used,avail /mnt/team | tail -1')).trim().split(/\s+/)
      const share = page.disks.find(({ mount }) => mount === '/mnt/team')!
      expect(Math.abs(share.size - Number(used) - Number(available))).toBeLessThan(1e9)
      await host.sh('pkill -STOP -x sshfs')
      const hung = await pageWhere('a share that does not answer', host, (page) =>
        /does not answer/.test(diskOf(page, '/mnt/team')?.trouble ?? ''),
      )
      expect(hung.disks.some(({ mount }) => mount === '/')).toBe(true)
      expect(hung.failing).not.toContain('disks')
      await host.sh('pkill -CONT -x sshfs; umount -l /mnt/team')
      await pageWhere('no share', host, (page) => diskOf(page, '/mnt/team') === undefined)
    },
  )

  onEach('and their drives, by the words of smartctl', async (host) => {
    // Started, it would be one that has begun before, where its timer has just done so.
    const ask = () => host.sh('systemctl restart custode-agent-drives.service')
    const drivesWhere = (
      what: string,
      isSo: (drives: NonNullable<DevicePage['facts']['drives']>['drives']) => boolean,
    ) => pageWhere(what, host, (page) => isSo(page.facts.drives?.drives ?? []))
    await drivesWhere('a drive that is well', ([sdx]) => sdx?.passed === true)
    const { facts, id } = await pageOf(here, host.name)
    const said = await host.sh('smartctl --json=c -i -H -A /dev/sdx')
    const { model_name, serial_number, smart_status } = JSON.parse(said) as Record<string, unknown>
    expect(facts.drives).toEqual({
      drives: [
        {
          name: 'sdx',
          model: model_name,
          serial: serial_number,
          media: 'hdd',
          passed: (smart_status as { passed: boolean }).passed,
          reallocated: 0,
          pending: 0,
          uncorrectable: 0,
        },
      ],
      arrays: [],
    })
    host.setDrives({ sdx: drive({ 5: 24, 197: 8, 198: 2 }), sdy: drive({}, { passed: false, rotation: 1 }) })
    await ask()
    await drivesWhere('a drive with bad sectors', ([sdx]) => sdx?.pending === 8)
    expect((await alertWhere(host, 'drives', 'sdx')).evidence!.text).toBe(
      'sdx (Lantern Field LF2000) could not read 2 sectors, has 8 sectors that it may not read again, has replaced 24 sectors',
    )
    const failing = await alertWhere(host, 'drives', 'sdy')
    expect([failing.severity, failing.evidence!.text]).toEqual([
      'critical',
      'sdy (Lantern Field LF2000) says itself that it is about to fail',
    ])
    // One that has died says nothing any more; that is not well.
    host.setDrives({ sdx: drive() })
    await ask()
    await alertWhere(host, 'drives', 'sdx', false)
    await drivesWhere('a drive that is not found', (drives) =>
      drives.some(({ name, trouble }) => name === 'sdy' && trouble === 'it is not found any more'),
    )
    expect((await alertsOf(here, id)).find(({ instance }) => instance === 'sdy')!.status).not.toBe('closed')
  })

  onEach('are asked by root alone, and nothing of that stays behind', async (host) => {
    expect((await host.sh('stat -c "%U %a" /run/custode-agent-drives /run/custode-agent-drives/drives')).trim()).toBe(
      'root 755\nroot 644',
    )
    expect((await host.sh('systemctl is-enabled custode-agent-drives.timer')).trim()).toBe('enabled')
    await host.sh('/usr/local/lib/custode-agent/custode-agent uninstall')
    expect(
      await host.sh(
        'ls -d /run/custode-* /etc/systemd/system/*custode* /etc/systemd/system/*/*custode* 2> /dev/null || true',
      ),
    ).toBe('')
  })
})
