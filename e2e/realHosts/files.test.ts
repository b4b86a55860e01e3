import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { day, hour, type Values, type WatchSpec } from '#core'
import type { RealHost } from '../../packages/standins/src/realHosts'
import { alertsOf, installAgent, leftOut, openHostHouse, pageOf, until, watchFor, type HostHouse } from './hostHouse'

const watch = (key: string, path: string, values: Values): WatchSpec => ({
  key,
  kind: 'file',
  name: key,
  why: '',
  osFamilies: [],
  values: { path, least: null, checks: 1, ...values },
})

// What an agent tells of files on a real host, held against find, stat and grep in the same minute.
describe.skipIf(leftOut)('files of Debian 12', () => {
  let here: HostHouse
  let host: RealHost

  beforeAll(async () => {
    here = await openHostHouse(1000)
    await watchFor(here, [
      watch('queue', '/srv/t-in/*.csv', { most: 3, waiting: hour }),
      watch('backup', '/srv/t-backup/*.tar', { least: 1, old: day, small: 1000 }),
      watch('growing', '/srv/t-data/*', { growth: 5e6 }),
      watch('settings', '/etc/nginx/nginx.conf', { changed: hour }),
      watch('words', '/srv/t-log/*.log', { words: 'out of * memory', lines: 0 }),
      watch('closed', '/root/t-secret/*', { least: 1 }),
      watch('tmp', '/tmp/t-anything', { most: 0 }),
    ])
    host = await here.lan.add('bookworm', 'tm-files')
    await host.sh(`mkdir -p /srv/t-in /srv/t-backup /srv/t-data /srv/t-log /root/t-secret
      echo x > /root/t-secret/a; chmod 700 /root; touch /tmp/t-anything
      head -c 5000 /dev/zero > /srv/t-backup/night.tar; echo fine > /srv/t-log/app.log; echo x > /srv/t-data/a`)
    await installAgent(here, host)
    await until('the files', page, ({ facts }) => (facts.files ?? []).length === 7)
  })
  afterAll(() => here.close())

  const page = () => pageOf(here, host.name)
  const told = async (metric: string, name: string) =>
    (await page()).latest!.readings.find((reading) => reading[0] === metric && reading[1] === name)?.[2]
  const alertWhere = async (key: string, isOpen: boolean) => {
    const { id } = await page()
    const found = await until(
      `${isOpen ? 'the alert' : 'the end'} of ${key}`,
      () => alertsOf(here, id),
      (alerts) => alerts.some((alert) => alert.watch === key && (alert.status !== 'closed') === isOpen),
    )
    return found.find((alert) => alert.watch === key && (alert.status !== 'closed') === isOpen)!.evidence?.text
  }

  it('number, bytes and age as find and stat have them; a queue that is long, and one that nobody takes from', async () => {
    await host.sh(
      'cd /srv/t-in; for i in 1 2 3 4; do head -c ${i}000 /dev/zero > $i.csv; done; touch other.txt; mkdir dir.csv',
    )
    expect(await alertWhere('queue', true)).toBe('/srv/t-in/*.csv: there are 4, more than 3')
    const [count, bytes] = (
      await host.sh(
        `find /srv/t-in -maxdepth 1 -type f -name '*.csv' -printf '%s\\n' | awk '{ n++; s += $1 } END { print n, s }'`,
      )
    )
      .trim()
      .split(' ')
      .map(Number)
    expect(await told('file.count', '/srv/t-in/*.csv')).toBe(count)
    expect(Math.abs((await told('file.size', '/srv/t-in/*.csv'))! - bytes!)).toBeLessThanOrEqual(512)
    await host.sh('cd /srv/t-in; rm 3.csv 4.csv; touch -d "2 hours ago" 1.csv')
    await until(
      'the oldest',
      () => told('file.oldest', '/srv/t-in/*.csv'),
      (age) => (age ?? 0) > 7000,
    )
    const modified = Number(await host.sh('stat -c %Y /srv/t-in/1.csv'))
    expect(Math.abs((await told('file.oldest', '/srv/t-in/*.csv'))! - (Date.now() / 1000 - modified))).toBeLessThan(20)
    await until(
      'its words',
      () => alertWhere('queue', true),
      (text) => /has one that waits for 2 h/.test(text ?? ''),
    )
    await host.sh('rm /srv/t-in/1.csv')
    await alertWhere('queue', false)
  })

  it('a backup that is old, nearly empty or gone', async () => {
    await host.sh('touch -d "30 hours ago" /srv/t-backup/night.tar')
    expect(await alertWhere('backup', true)).toBe('/srv/t-backup/*.tar was not modified for 30 h')
    await host.sh('head -c 9000 /dev/zero > /srv/t-backup/night.tar')
    await alertWhere('backup', false)
    await host.sh('rm /srv/t-backup/night.tar')
    expect(await alertWhere('backup', true)).toBe('/srv/t-backup/*.tar is not there')
  })

  it('what grows, what was changed, and lines as grep counts them', async () => {
    await host.sh('head -c 9000000 /dev/zero > /srv/t-data/b; echo "# x" >> /etc/nginx/nginx.conf')
    await host.sh(`for i in 1 2 3; do echo "app: out of $i memory" >> /srv/t-log/app.log; done`)
    expect(await alertWhere('growing', true)).toMatch(/^\/srv\/t-data\/\* grew by 9 MB within/)
    expect(await alertWhere('settings', true)).toBe('/etc/nginx/nginx.conf was changed')
    await alertWhere('words', true)
    const counted = Number(await host.sh(`grep --count 'out of .* memory' /srv/t-log/app.log`))
    await until(
      'the lines',
      () => told('file.lines', '“out of * memory” in /srv/t-log/*.log'),
      (lines) => lines === counted,
    )
    await host.sh('echo fine > /srv/t-log/app.log')
    await alertWhere('words', false)
  })

  it('what the agent may not see is told, and is neither there nor gone', async () => {
    expect(await alertWhere('closed', true)).toMatch(
      /^\/root\/t-secret\/\* cannot be looked at: the agent may not look into/,
    )
    expect(await alertWhere('tmp', true)).toMatch(
      /^\/tmp\/t-anything cannot be looked at: the agent’s service has a \/tmp/,
    )
    await host.sh('chmod 755 /root')
    await alertWhere('closed', false)
  })
})
