import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { rows } from '../../packages/server/src/db'
import { measuringPackages, type RealHost } from '../../packages/standins/src/realHosts'
import {
  alertsOf,
  installAgent,
  leftOut,
  openHostHouse,
  pageOf,
  until,
  watchFor,
  watchSpec,
  type HostHouse,
} from './hostHouse'

/** Ways in which logrotate(8) may be told to do it. */
const ways = {
  't-renamed': 'create 0644 root root',
  't-dated': 'create 0644 root root\n dateext\n dateformat -%Y%m%d-%s\n delaycompress\n compress',
  't-copied': 'copytruncate',
  't-held': 'create 0644 root root',
}
const logs = Object.keys(ways)

// Lines of logs that a real logrotate turns over, held against what stands in all of its files.
describe.skipIf(leftOut)('logs that logrotate of Debian 13 turns over', () => {
  let here: HostHouse
  let host: RealHost

  beforeAll(async () => {
    here = await openHostHouse(1000)
    await watchFor(here, [
      watchSpec('app', 'log-match', { channel: 't-*.log', text: 'nothing of the kind' }),
      watchSpec('job', 'log-match', { channel: 't-job-*.log', text: 'app: failed' }),
    ])
    host = await here.lan.add('trixie', 'tm-rotating', measuringPackages)
    for (const [log, way] of Object.entries(ways)) {
      host.write(`/etc/t-rotate/${log}`, `/var/log/${log}.log {\n rotate 9\n missingok\n ${way}\n}\n`)
      host.write(`/var/log/${log}.log`, 'app: from before\n')
    }
    host.write('/var/log/t-job-1.log', 'app: failed long ago\n')
    await installAgent(here, host)
    await until('the logs to be read', page, ({ facts }) =>
      logs.every((log) => facts.logs?.some(({ name, collected }) => name === `${log}.log` && collected)),
    )
  })
  afterAll(() => here.close())

  const page = () => pageOf(here, host.name)
  const write = (round: string, where = logs) =>
    host.sh(where.map((log) => `for i in 1 2 3; do echo "app: ${round} $i" >> /var/log/${log}.log; done`).join('\n'))
  const rotate = () =>
    host.sh(logs.map((log) => `logrotate --force --state /run/t-${log}.state /etc/t-rotate/${log}`).join('\n'))
  /** A program that opens its log once, and goes on writing to it wherever it is. */
  const keepsOpen = (unit: string, word: string) =>
    host.sh(`systemd-run --quiet --unit ${unit} sh -c '
      exec >> /var/log/t-held.log
      n=0; while [ $n -lt 600 ] && [ ! -e /run/t-over ]; do n=$((n + 1)); echo "app: ${word} $n"; sleep 0.2; done'
      n=0; until grep -q "app: ${word} 1" /var/log/t-held.log || [ $n -gt 300 ]; do n=$((n + 1)); sleep 0.1; done`)
  const told = async (log: string) =>
    (
      await rows<{ text: string }>(
        here.house.pool,
        `select text from log_event where channel = $1 and text like 'app: %' and text not like '%before'`,
        [`${log}.log`],
      )
    )
      .map(({ text }) => text)
      .sort()
  /** All lines that there are, packed ones too, as zgrep(1) finds them. */
  const written = async (log: string) =>
    (await host.sh(`zgrep --no-filename '^app: ' /var/log/${log}*`))
      .split('\n')
      .filter((line) => line && !line.endsWith('before'))
      .sort()

  it('every line once: of files that it is reading, that came and went while it was away, copies and late writers', async () => {
    await keepsOpen('t-first', 'held')
    await write('first')
    await rotate()
    await keepsOpen('t-second', 'late')
    await write('second')
    await until(
      'the second lines',
      () => told('t-renamed'),
      (lines) => lines.includes('app: second 3'),
    )
    await write('third')
    await rotate()
    await write('fourth')
    await host.sh('systemctl stop custode-agent')
    await write('away')
    await rotate()
    await write('far away', ['t-renamed', 't-copied'])
    await host.sh('touch /run/t-over; systemctl stop t-first t-second || true')
    await host.sh(
      ['t-renamed', 't-copied']
        .map((log) => `logrotate --force --state /run/t-${log}.state /etc/t-rotate/${log}`)
        .join('\n'),
    )
    await host.sh('systemctl start custode-agent')
    await write('back')
    for (const log of logs) {
      const lines = await written(log)
      expect(lines.length, log).toBeGreaterThan(15)
      await until(
        `all lines of ${log}`,
        () => told(log),
        (seen) => seen.length >= lines.length,
      ).catch(async (error: Error) => {
        const files = `ls -li --full-time /var/log/${log}*; cat /var/lib/custode-agent/places.json`
        throw new Error(`${error.message}\n${await host.sh(files)}`, { cause: error })
      })
      expect(await told(log), log).toEqual(lines)
    }
  })
  it('a log that was made while it was away is news from its first line on; what stood there before is none', async () => {
    const { id } = await page()
    const ofJobs = async () => (await alertsOf(here, id)).filter(({ watch }) => watch === 'job')
    expect(await ofJobs()).toEqual([])
    await host.sh(`systemctl stop custode-agent; echo "app: failed just now" > /var/log/t-job-2.log
      systemctl start custode-agent`)
    const [alert] = await until('the alert', ofJobs, (alerts) => alerts.length > 0)
    expect(alert!.evidence!.text).toContain('failed just now')
  })
})
