import { setTimeout as wait } from 'node:timers/promises'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { minute, second } from '#core'
import { measuringPackages, type RealHost } from '../../packages/standins/src/realHosts'
import {
  alertsOf,
  installAgent,
  leftOut,
  openHostHouse,
  pageOf,
  toldMeanwhile,
  until,
  watchFor,
  type HostHouse,
  watchSpec as watch,
} from './hostHouse'

const quick = { hold: 0, 'clear.hold': 0 }
/** So long each tool measures, and the agent beside it. */
const measured = 16

/** What iostat(1), mpstat(1) and sar(1) of sysstat print, as far as it is read here. */
interface IoStat {
  disk_device: string
  'r/s': number
  'w/s': number
  'wkB/s': number
  r_await: number
  w_await: number
  util: number
}

// What an agent tells of the use of a real host, held against sysstat in the same seconds. All hosts run on the kernel
// of this machine, so one is enough.
describe.skipIf(leftOut)('performance and processes of Debian 13', () => {
  let here: HostHouse
  let host: RealHost

  beforeAll(async () => {
    here = await openHostHouse(1000)
    await watchFor(here, [
      watch('cpu', 'cpu-busy', {
        ...quick,
        by: 'mean',
        span: minute,
        notice: null,
        warning: 0.85,
        critical: null,
        clear: 0.8,
      }),
      watch('traffic', 'link-traffic', { ...quick, warning: 2e6, clear: 1e6 }),
      watch('files', 'open-files', { ...quick, warning: 40_000, clear: 30_000 }),
      watch('heat', 'temperature', quick),
      watch('web', 'process', { name: 'nginx', checks: 2 }),
      watch('journal', 'process', { name: 'systemd-journald', user: 'root', checks: 1 }),
      watch('unwanted', 'process', { name: 'sh', arguments: '*t-miner*', least: null, most: 0, checks: 2 }),
      watch('looping', 'process', { name: 'perl', arguments: '*t-loop*', least: null, cpu: 0.2, checks: 2 }),
    ])
    host = await here.lan.add('trixie', 'tm-busy', measuringPackages)
    host.write(
      '/etc/systemd/system/t-app.service',
      '[Service]\nExecStart=/usr/bin/perl -e "sleep 98765" -- --password=hunter2\nUser=www-data\n',
    )
    await host.sh('systemctl daemon-reload; systemctl start t-app')
    await installAgent(here, host)
    await until(
      'rates',
      () => pageOf(here, host.name),
      (page) => page.latest?.readings.some(([metric]) => metric === 'io.busy') ?? false,
    )
  })
  afterAll(() => here.close())

  const page = () => pageOf(here, host.name)
  const meanwhile = <T>(work: Promise<T>) => toldMeanwhile(page, work)
  const alertWhere = async (key: string, isOpen: boolean, within = 30_000) => {
    const { id } = await page()
    const found = await until(
      `${isOpen ? 'the alert' : 'the end'} of ${key}`,
      () => alertsOf(here, id),
      (alerts) => alerts.some((alert) => alert.watch === key && (alert.status !== 'closed') === isOpen),
      within,
    )
    return found.find((alert) => alert.watch === key)!
  }
  /** Whether two figures are the same but for what a second more or less changes. */
  const near = (told: number, tool: number, share: number, least: number) => {
    expect(Math.abs(told - tool), `${told} and ${tool}`).toBeLessThan(Math.max(least, share * tool))
  }

  it('a drive that is written to: use, latency and bytes as iostat has them, the CPU as mpstat has it', async () => {
    const load = host.sh(
      `timeout ${measured + 8} sh -c 'while :; do dd if=/dev/zero of=/root/written bs=256k count=400 oflag=direct 2> /dev/null; done' || true; rm -f /root/written`,
    )
    await wait(3000)
    const tools = Promise.all([
      host.sh(`S_TIME_FORMAT=ISO iostat -d -x -y -o JSON ${measured} 1`),
      host.sh(`S_TIME_FORMAT=ISO mpstat -o JSON ${measured} 1`),
    ])
    const [[drives, cpus], told] = await meanwhile(tools)
    await load
    const { sysstat } = JSON.parse(drives) as {
      sysstat: { hosts: { statistics: { disk: IoStat[] }[] }[] }
    }
    const named = (await page()).facts.blocks!
    const busiest = sysstat.hosts[0]!.statistics[0]!.disk.filter(({ disk_device: name }) => named.includes(name)).sort(
      (a, b) => b['wkB/s'] - a['wkB/s'],
    )[0]!
    const name = busiest.disk_device
    expect(busiest['w/s']).toBeGreaterThan(10)
    near(told('io.written', name), busiest['wkB/s'] * 1024, 0.4, 1e6)
    near(told('io.busy', name), busiest.util / 100, 0.3, 0.15)
    const requests = busiest['r/s'] + busiest['w/s']
    const awaited = (busiest.r_await * busiest['r/s'] + busiest.w_await * busiest['w/s']) / requests
    near(told('io.latency', name), awaited, 0.5, 1)
    const { sysstat: times } = JSON.parse(cpus) as {
      sysstat: { hosts: { statistics: { 'cpu-load': { idle: number; iowait: number; steal: number }[] }[] }[] }
    }
    const [all] = times.hosts[0]!.statistics[0]!['cpu-load']
    near(told('cpu.wait'), all!.iowait / 100, 0.4, 0.08)
    near(told('cpu.steal'), all!.steal / 100, 0.4, 0.05)
    near(told('cpu.busy'), 1 - (all!.idle + all!.iowait) / 100, 0.3, 0.1)
  })

  it('a link that carries much: traffic and load as sar has them; it is told by its name, and clears', async () => {
    // The host's /sys shows the interfaces of the machine that boots it: here its own, as on any machine.
    await host.sh(`mkdir -p /run/own-sys && mount -t sysfs sysfs /run/own-sys
      for part in class/net devices/virtual/net; do mount --bind /run/own-sys/$part /sys/$part; done
      systemctl restart custode-agent`)
    const [speed] = (await host.sh('cat /sys/class/net/host0/speed')).trim().split('\n').map(Number)
    const { facts } = await until('the speed', page, ({ facts }) => facts.links?.[0]?.speed !== undefined)
    expect(facts.links).toEqual([{ name: 'host0', speed: speed! * 1e6 }])
    // Thirty megabytes a second, to this machine's end of the cable.
    host.write('/etc/nginx/conf.d/t-slow.conf', 'limit_rate 30m;\n')
    await host.sh('head -c 720M /dev/zero > /var/www/html/t-much; systemctl restart nginx')
    const load = (async () => {
      const { body } = await fetch(`http://${host.options.address}/t-much`)
      for await (const _ of body!);
    })()
    await wait(3000)
    const [sar, told] = await meanwhile(
      host.sh(`LC_ALL=C S_TIME_FORMAT=ISO sar -n DEV ${measured} 1 | grep '^Average' | grep host0`),
    )
    // Average: IFACE rxpck/s txpck/s rxkB/s txkB/s rxcmp/s txcmp/s rxmcst/s %ifutil
    const [, , , , , sent, , , , load_] = sar.trim().split(/\s+/)
    expect(Number(sent) * 1024).toBeGreaterThan(2e6)
    near(told('net.sent', 'host0'), Number(sent) * 1024, 0.4, 1e6)
    near(told('net.load', 'host0'), Number(load_) / 100, 0.4, 0.005)
    const { instance, evidence } = await alertWhere('traffic', true)
    expect([instance, evidence!.text]).toEqual(['host0', expect.stringMatching(/^host0: link traffic [\d.]+ MB\/s$/)])
    await load
    await alertWhere('traffic', false)
  })

  it('open files as the kernel counts them, and more where a program holds more', async () => {
    const counted = async () => Number((await host.sh('cat /proc/sys/fs/file-nr')).trim().split(/\s+/)[0])
    const told = async () => {
      const found = (await page()).latest!.readings.find(([metric]) => metric === 'files.open')
      return found![2]
    }
    const [before, toldBefore] = [await counted(), await told()]
    near(toldBefore, before, 0.2, 1500)
    const many = `perl -e 'for (1..900) { open($h[$_], "<", "/dev/null") or die } sleep 20'`
    const held = host.sh(`for i in $(seq 10); do ${many} & done; wait`)
    await until('nine thousand more', told, (now) => now > toldBefore + 8000)
    await held
  })

  it('judged by its mean over a minute, a busy CPU is told when that is above, and clears after it', async () => {
    // Until it is told: where the machine stood still, its minute begins anew.
    const load = host.sh(
      'for i in $(seq $(($(nproc) * 2))); do timeout 540 sh -c "while [ ! -e /run/t-told ]; do :; done" & done; wait; true',
      { timeout: 600_000 },
    )
    const alert = await alertWhere('cpu', true, 90 * second)
    expect(alert.evidence!.text).toMatch(/^CPU busy [\d.]+ %, mean over 60 s/)
    await host.sh('touch /run/t-told')
    await load
  })

  it('processes as pgrep and ps have them: their number, their memory, and the CPU of one that is caught in a loop', async () => {
    const told = async (metric: string, name: string) =>
      (await page()).latest!.readings.find((reading) => reading[0] === metric && reading[1] === name)?.[2]
    const running = async () => Number(await host.sh('pgrep --count --exact nginx || true'))
    await host.sh('systemctl start nginx')
    const count = await running()
    expect(count).toBeGreaterThan(1)
    await until(
      'as many',
      () => told('process.count', 'nginx'),
      (seen) => seen === count,
    )
    // What is backed by no file (proc_pid_status(5)).
    const alone = Number(
      await host.sh(
        `for pid in $(pgrep --exact nginx); do cat /proc/$pid/status; done | awk '/^RssAnon/ { sum += $2 } END { print sum * 1024 }'`,
      ),
    )
    near((await told('process.memory', 'nginx'))!, alone, 0.1, 5e5)
    expect(await told('process.count', 'systemd-journald (user root)')).toBe(1)
    expect(await told('process.count', 'sh (with *t-miner*)')).toBe(0)

    // On a machine that has much else to do it gets only its part of a core, and the limit lies below that.
    const loop = host.sh(`timeout 150 perl -e '$x = "t-loop"; while (1) {}' || true`)
    const { evidence } = await alertWhere('looping', true)
    expect(evidence!.text).toMatch(/one of them uses \d+(\.\d)? % of a core$/)
    const [share] = (await host.sh(`top -b -n 2 -d 4 -p $(pgrep --newest perl) | tail -1`)).trim().split(/\s+/).slice(8)
    near((await told('process.cpu.most', 'perl (with *t-loop*)'))!, Number(share) / 100, 0.5, 0.3)
    await host.sh('pkill --newest --exact perl')
    await loop
    await alertWhere('looping', false)
  })

  it('one that stops is told, one that must not run is told, and both clear; a kill is as good as a stop', async () => {
    await host.sh('systemctl stop nginx')
    expect((await alertWhere('web', true)).evidence!.text).toBe('nginx does not run')
    await host.sh('systemctl start nginx')
    await alertWhere('web', false)
    const miner = host.sh(`timeout 15 sh -c 'x=t-miner; while sleep 1; do :; done' || true`)
    expect((await alertWhere('unwanted', true)).evidence!.text).toMatch(
      /^sh \(with \*t-miner\*\): \d runs?, and none should$/,
    )
    await miner
    await alertWhere('unwanted', false)
    expect(await alertsOf(here, (await page()).id)).not.toContainEqual(expect.objectContaining({ watch: 'journal' }))
  })

  it('what runs is there to pick from, with its user and its command line, and no secret of it', async () => {
    // It is older than what comes and goes when the agent starts anew.
    await until(
      'its age',
      async () => Number(await host.sh('ps -o etimes= -C perl | tail -1')),
      (age) => age > 125,
      40_000,
    )
    await host.sh('systemctl restart custode-agent')
    const { facts } = await until('the list', page, (now) =>
      (now.facts.programs ?? []).some(({ name }) => name === 'perl'),
    )
    expect(facts.programs!.find(({ name }) => name === 'perl')).toEqual({
      name: 'perl',
      path: '/usr/bin/perl',
      arguments: '/usr/bin/perl -e sleep 98765 -- --password=***',
      user: 'www-data',
    })
    expect(facts.programs!.map(({ name }) => name)).toContain('systemd-journald')
  })

  it('no sensor is told where the system tells none, and that is no alert', async () => {
    const chips = (await host.sh('ls /sys/class/hwmon /sys/class/thermal 2> /dev/null || true')).match(
      /^(hwmon|thermal_zone)/gm,
    )
    const { facts, latest, id } = await page()
    if (!chips) expect(facts.sensors).toEqual([])
    expect(latest!.readings.filter(([metric]) => metric === 'temperature')).toHaveLength(facts.sensors!.length)
    expect((await alertsOf(here, id)).filter(({ watch }) => watch === 'heat')).toEqual([])
  })
})
