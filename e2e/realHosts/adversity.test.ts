import { generateKeyPairSync, sign } from 'node:crypto'
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'
import { gzipSync } from 'node:zlib'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import type { AlertView, SignedText, UpdateRunPage } from '#contract'
import { second } from '#core'
import { root } from '../../launcher/place.mjs'
import { signRelease } from '../../launcher/releaseKey.mjs'
import { rows } from '../../packages/server/src/db'
import type { RealHost } from '../../packages/standins/src/realHosts'
import { alertsOf, installAgent, leftOut, openHostHouse, pageOf, until, watchFor, type HostHouse } from './hostHouse'

// What happens to machines and agents: nothing that was seen may be lost or told twice, and the agent goes on by
// itself.
describe.skipIf(leftOut)('an agent on a real host', () => {
  let here: HostHouse
  let host: RealHost
  let deviceId: number
  let agents: string
  const agent = '/usr/local/lib/custode-agent/custode-agent'
  const home = '/var/lib/custode-agent'

  beforeAll(async () => {
    // With a folder of its own: other tests lay releases into that of the build, and clear it.
    agents = mkdtempSync(join(tmpdir(), 'custode-agents-'))
    for (const name of readdirSync(join(root, 'dist/agent')))
      if (name !== 'releases') symlinkSync(join(root, 'dist/agent', name), join(agents, name))
    here = await openHostHouse(1000, agents)
    await watchFor(here, [
      { key: 'silence', kind: 'silence', name: 'Silence', why: '', osFamilies: [], values: { after: 8 * second } },
      {
        key: 'collectors',
        kind: 'collector-fails',
        name: 'Parts',
        why: '',
        osFamilies: [],
        values: { hold: 3 * second },
      },
      {
        key: 'app',
        kind: 'log-match',
        name: 'The application',
        why: '',
        osFamilies: [],
        values: { channel: 't-app.log', text: 'nothing of the kind' },
      },
      { key: 'identity', kind: 'identity-shared', name: 'Two as one', why: '', osFamilies: [], values: {} },
    ])
    host = await here.lan.add('bookworm', 'tm-hard')
    await ready(host)
    await installAgent(here, host)
    deviceId = (
      await until(
        'the first report',
        () => pageOf(here, host.name),
        (page) => page.facts.services !== undefined,
      )
    ).id
  })
  afterAll(async () => {
    await here.close()
    rmSync(agents, { recursive: true })
  })
  // What the agent said itself, beside what the test says.
  beforeEach(({ onTestFailed }) => {
    onTestFailed(async () => {
      process.stderr.write(await journalOf().catch(String))
    })
  })

  /** Quick to come back, and no entry of the journal held back by itself. */
  async function ready(booting: RealHost): Promise<void> {
    booting.write(
      '/etc/systemd/system/custode-agent.service.d/test.conf',
      '[Unit]\nStartLimitIntervalSec=0\n[Service]\nRestartSec=100ms\n',
    )
    booting.write('/etc/systemd/journald.conf.d/test.conf', '[Journal]\nRateLimitBurst=0\nSystemMaxUse=500M\n')
    await booting.sh('systemctl restart systemd-journald')
  }
  const events = (pattern: string) =>
    rows<{ text: string; seq: number }>(
      here.house.pool,
      'select text, seq from log_event where device_id = $1 and text like $2 order by at, seq, n',
      [deviceId, pattern],
    )
  const page = () => pageOf(here, host.name)
  const reportsAgain = async (within = 30_000) => {
    const before = (await page()).heardAt ?? 0
    // Two reports later all that was at hand is told.
    await until('more reports', page, (now) => (now.heardAt ?? 0) > before + 2500, within)
  }
  const journalOf = (lines = 30) => host.sh(`journalctl -u custode-agent --no-pager | tail -${lines}`)

  it(
    'killed at 50 moments while it reports: no log entry lost, none told twice, no number used again',
    { timeout: 540_000 },
    async () => {
      let said = 0
      for (let i = 0; i < 50; i++) {
        await host.sh(`logger -t t-kill "entry ${said++}"; logger -t t-kill "entry ${said++}"`)
        await wait(Math.random() * 1200)
        await host.run('systemctl kill --signal=KILL custode-agent')
      }
      const found = await until(
        'all entries',
        () => events('entry %'),
        (all) => all.length >= said,
        40_000,
      )
      await reportsAgain()
      expect((await events('entry %')).map((event) => event.text)).toEqual(
        Array.from({ length: said }, (_, i) => `entry ${i}`),
      )
      expect(found.length).toBe(said)
      const numbers = await rows<{ seq: number; n: number }>(
        here.house.pool,
        'select seq, count(*)::int as n from report where device_id = $1 group by seq having count(*) > 1',
        [deviceId],
      )
      expect([numbers, (await page()).lostReports]).toEqual([[], 0])
    },
  )

  it(
    'with its disk full it goes on telling from memory, and writes again when there is room',
    { timeout: 270_000 },
    async () => {
      await host.sh(
        `systemctl stop custode-agent; cp -a ${home} /root/home; mount -t tmpfs -o size=600k,mode=700 tmpfs ${home}; cp -a /root/home/. ${home}; chown -R custode-agent: ${home}; head -c 2M /dev/zero > ${home}/fill 2>/dev/null; systemctl start custode-agent`,
      )
      await host.sh('logger -t t-full "while it is full"')
      await until(
        'the entry',
        () => events('while it is full'),
        (all) => all.length === 1,
      )
      await reportsAgain()
      await host.sh(`rm ${home}/fill`)
      await reportsAgain()
      const last = Number(await host.sh(`cat ${home}/sequence`))
      const { last_seq: seen } = (
        await rows<{ last_seq: number }>(here.house.pool, 'select last_seq from device where id = $1', [deviceId])
      )[0]!
      expect(Math.abs(last - seen)).toBeLessThan(3)
      await host.sh(
        `systemctl stop custode-agent; cp -a ${home}/. /root/home; umount ${home}; cp -a /root/home/. ${home}; rm -rf /root/home; systemctl start custode-agent`,
      )
      await reportsAgain()
      expect((await events('while it is full')).length).toBe(1)
    },
  )

  it('with each file of its state emptied, or filled with rubbish, it reports on', { timeout: 360_000 }, async () => {
    const damaged = async (damage: string, files: string[]) => {
      await host.sh(
        `systemctl stop custode-agent; ${files.map((file) => `${damage} ${home}/${file}; chown custode-agent: ${home}/${file}`).join('; ')}; systemctl start custode-agent`,
      )
      await reportsAgain().catch(async (error: Error) => {
        throw new Error(`${damage} ${files.join()}: ${error.message}; ${await journalOf()}`)
      })
    }
    const files = ['identity.json', 'sequence', 'places.json', 'updates-seen.json', 'last-task']
    for (const file of files) await damaged(': >', [file])
    await damaged('echo "{\\"a\\":" >', files)
    await damaged(': >', ['identity.copy.json', 'sequence'])
    // A report that was half written stands in nobody's way.
    await host.sh(
      `systemctl stop custode-agent; next=$(($(cat ${home}/sequence) + 1)); echo '{"report":{"seq":' > ${home}/spool/$next.json; chown custode-agent: ${home}/spool/$next.json; systemctl start custode-agent`,
    )
    await reportsAgain()
    expect(
      (await host.run(`${agent} check`)).stdout
        .split('\n')
        .filter((line) => line.includes('WRONG') && !line.includes('.refused')),
    ).toEqual([])
  })

  it(
    '30,000 journal lines in a minute: the urgent ones are told, the others counted, and the memory stays bounded',
    { timeout: 360_000 },
    async () => {
      const before = (await page()).leftOutEntries
      await host.sh(
        `(for i in $(seq 1 30000); do echo "line $i of many, with some words to make it as long as such lines are"; done) | systemd-cat -t t-flood -p info; logger -t t-flood -p daemon.crit "the one that counts"`,
      )
      await until(
        'the urgent entry',
        () => events('the one that counts'),
        (all) => all.length === 1,
        60_000,
      )
      const told = (
        await rows<{ n: number }>(
          here.house.pool,
          `select count(*)::int as n from log_event where device_id = $1 and source = 't-flood'`,
          [deviceId],
        )
      )[0]!.n
      const after = await until('the count', page, (now) => now.leftOutEntries - before + told >= 30_001, 60_000)
      // Others write into the journal, too.
      expect(after.leftOutEntries - before + told).toBeLessThan(30_200)
      expect(await host.sh(`journalctl -u custode-agent --no-pager | grep -c "oom-kill" || true`)).toBe('0\n')
    },
  )

  it(
    'a report that the database refuses stops nothing behind it, and is told on the page and on the machine',
    { timeout: 180_000 },
    async () => {
      await here.house.pool.query(`alter table log_event add constraint odd check (text <> 'the odd one') not valid`)
      await host.sh('logger -t t-odd "the odd one"')
      await until('the refusal', page, (now) => now.refusedCount > 0)
      await host.sh('logger -t t-odd "the one behind it"')
      await until(
        'what came behind',
        () => events('the one behind it'),
        (all) => all.length === 1,
      )
      await here.house.pool.query('alter table log_event drop constraint odd')
      expect((await host.run(`${agent} check`)).stdout).toMatch(
        /WRONG {2}the server has refused 1 part of what this machine sent, \d+ s ago at last: The database does not take it: .*check constraint/,
      )
      expect((await page()).refused[0]!.body).toContain('the odd one')
    },
  )

  it('a log that is rotated while it is written: every line once', { timeout: 270_000 }, async () => {
    host.write('/var/log/t-app.log', 'app: from before\n')
    // The list of logs is looked at every ten minutes; a start looks at once.
    await host.sh('systemctl restart custode-agent')
    await until('the log to be read', page, (now) =>
      (now.facts.logs ?? []).some((log) => log.name === 't-app.log' && log.collected),
    )
    await reportsAgain()
    await host.sh(
      `cd /var/log; n=0
      for round in 1 2 3 4; do
        for i in $(seq 1 40); do n=$((n + 1)); echo "app: rotated line $n" >> t-app.log; sleep 0.02; done
        for old in 3 2 1; do [ ! -e t-app.log.$old ] || mv t-app.log.$old t-app.log.$((old + 1)); done
        mv t-app.log t-app.log.1; echo "app: last word $round" >> t-app.log.1; : > t-app.log; sleep 1.3
      done`,
      { timeout: 180_000 },
    )
    await until(
      'all lines',
      () => events('app: rotated line %'),
      (all) => all.length >= 160,
    )
    await reportsAgain()
    expect(
      (await events('app: rotated line %')).map((event) => Number(/\d+$/.exec(event.text)![0])).sort((a, b) => a - b),
    ).toEqual(Array.from({ length: 160 }, (_, i) => i + 1))
    expect((await events('app: last word %')).length).toBe(4)
    expect((await events('app: from before')).length).toBeLessThanOrEqual(1)
  })

  it(
    'a command that hangs costs its collector only, is ended with all it has started, and raises an alert',
    { timeout: 450_000 },
    async () => {
      host.write(
        '/usr/local/bin/systemctl',
        '#!/bin/sh\n[ "$1" = show ] && { sleep 3000 & sleep 3000; }\nexec /bin/systemctl "$@"\n',
        0o755,
      )
      await until('the failure', page, (now) => now.failed.some((failure) => failure.collector === 'services'), 60_000)
      const [alert] = await until(
        'the alert',
        () => alertsOf(here, deviceId),
        (alerts) => alerts.some((alert) => alert.watch === 'collectors' && alert.status !== 'closed'),
        60_000,
      )
      expect(alert!.evidence!.text).toBe('its services cannot be read: systemctl show: it did not end within 30 s')
      const heard = (await page()).heardAt!
      await until('reports all the same', page, (now) => now.heardAt! > heard + 3000, 60_000)
      await host.sh('rm /usr/local/bin/systemctl')
      await until(
        'the alert to end',
        () => alertsOf(here, deviceId),
        (alerts) => alerts.every((candidate) => candidate.watch !== 'collectors' || candidate.status === 'closed'),
        90_000,
      )
      await until(
        'no leftovers',
        () => host.sh('pgrep -c -x sleep || true'),
        (count) => count.trim() === '0',
      )
    },
  )

  it(
    'the clock two hours forward, then back: it reports steadily, and every time is right',
    { timeout: 270_000 },
    async () => {
      const clock = (offset: string) => host.sh(`echo "${offset}" > /run/t-clock; chmod 644 /run/t-clock`)
      await clock('+0')
      host.write(
        '/etc/systemd/system/custode-agent.service.d/clock.conf',
        `[Service]\nEnvironment=LD_PRELOAD=/usr/lib/x86_64-linux-gnu/faketime/libfaketime.so.1 FAKETIME_TIMESTAMP_FILE=/run/t-clock FAKETIME_NO_CACHE=1 DONT_FAKE_MONOTONIC=1 FAKETIME_DONT_FAKE_MONOTONIC=1\n`,
      )
      await host.sh('systemctl daemon-reload; systemctl restart custode-agent')
      await reportsAgain()
      for (const offset of ['+2h', '-1h']) {
        await clock(offset)
        const began = Date.now()
        await until(
          `reports at ${offset}`,
          () =>
            rows<{ at: number }>(
              here.house.pool,
              `select at from report where device_id = $1 and received_at > $2 order by seq`,
              [deviceId, new Date(began)],
            ),
          (all) => all.length >= 4,
          20_000,
        )
        await until('the offset to be seen', page, (now) => Math.abs(now.clockOffset) > 1800_000)
        // Made while the server was away, sent after the clock was set again.
        await host.sh(`ip route add blackhole ${here.lan.gateway}/32; sleep 4`)
        await clock('+0')
        await host.sh(`sleep 1; ip route del blackhole ${here.lan.gateway}/32`)
        await until(
          'what waited',
          () =>
            rows<{ at: number; received_at: number }>(
              here.house.pool,
              `select at, received_at from report where device_id = $1 and received_at > $2 order by seq`,
              [deviceId, new Date(began)],
            ),
          (all) => all.length >= 9,
          40_000,
        )
        const stored = await rows<{ at: number; received_at: number }>(
          here.house.pool,
          `select at, received_at from report where device_id = $1 and received_at > $2 order by seq`,
          [deviceId, new Date(began)],
        )
        for (const report of stored) expect(Math.abs(report.received_at - report.at)).toBeLessThan(45_000)
        expect(stored.map((report) => report.at)).toEqual(stored.map((report) => report.at).sort((a, b) => a - b))
      }
      await host.sh(
        'rm /etc/systemd/system/custode-agent.service.d/clock.conf; systemctl daemon-reload; systemctl restart custode-agent',
      )
      await reportsAgain()
    },
  )

  it(
    'stopped in its tracks it is ended and started anew by systemd, which no longer hears from it',
    { timeout: 270_000 },
    async () => {
      host.write('/etc/systemd/system/custode-agent.service.d/watchdog.conf', '[Service]\nWatchdogSec=3\n')
      await host.sh('systemctl daemon-reload; systemctl restart custode-agent; sleep 8')
      const pid = async () => (await host.sh('systemctl show --value --property=MainPID custode-agent')).trim()
      const before = await pid()
      // As long as it works, it says so.
      expect(await host.sh('journalctl -u custode-agent --no-pager | grep -c "Watchdog timeout" || true')).toBe('0\n')
      await host.sh(`kill -STOP ${before}`)
      await until('another process', pid, (now) => now !== before && now !== '0', 20_000)
      await reportsAgain()
      await host.sh(
        'rm /etc/systemd/system/custode-agent.service.d/watchdog.conf; systemctl daemon-reload; systemctl restart custode-agent',
      )
    },
  )

  it('the host restarts: the agent is back by itself, and nothing is told twice', { timeout: 270_000 }, async () => {
    await host.sh('logger -t t-boot "before the restart"; sync')
    await host.reboot()
    await host.sh('logger -t t-boot "after the restart"')
    await until(
      'both entries',
      () => events('% the restart'),
      (all) => all.length >= 2,
    )
    await reportsAgain()
    expect((await events('% the restart')).map((event) => event.text)).toEqual([
      'before the restart',
      'after the restart',
    ])
    expect(await host.sh('systemctl is-enabled custode-agent')).toBe('enabled\n')
  })

  /** What has failed three times within the hour, as here, is told to be well before it is over. */
  const failing = ({ status, wellSince }: AlertView) => status !== 'closed' && wellSince === null
  it('a plug that is pulled is told, and its end', { timeout: 270_000 }, async () => {
    await host.pullPlug()
    await until(
      'silence',
      () => alertsOf(here, deviceId),
      (alerts) => alerts.some((alert) => alert.watch === 'silence' && failing(alert)),
      40_000,
    )
    await host.boot()
    await until(
      'its end',
      () => alertsOf(here, deviceId),
      (alerts) => alerts.every((alert) => alert.watch !== 'silence' || !failing(alert)),
      40_000,
    )
  })

  it(
    'set back to a snapshot it goes on from where the server is, and tells everything again',
    { timeout: 270_000 },
    async () => {
      const before = (await page()).lostReports
      await host.stop()
      await host.snapshot()
      await host.boot()
      await reportsAgain()
      await host.sh('logger -t t-snap "in the time that is undone"; apt-mark hold cron > /dev/null')
      await until(
        'the entry',
        () => events('in the time that is undone'),
        (all) => all.length === 1,
      )
      await host.stop()
      await host.restore()
      await host.boot()
      await host.sh('logger -t t-snap "after the snapshot"')
      await until(
        'the entry',
        () => events('after the snapshot'),
        (all) => all.length === 1,
      )
      const { failed, lostReports } = await page()
      expect([failed, lostReports]).toEqual([[], before])
      expect(await journalOf(60)).toContain('it was set back, and goes on from there')
    },
  )

  it('cloned, the copy is not listened to, and an alert says that there are two', { timeout: 360_000 }, async () => {
    const copy = await here.lan.clone(host, 'tm-copy')
    const [alert] = await until(
      'the alert',
      () => alertsOf(here, deviceId),
      (alerts) => alerts.some((alert) => alert.watch === 'identity' && alert.status !== 'closed'),
      60_000,
    )
    expect(alert!.evidence!.text).toContain('two machines report as this device')
    await until(
      'the copy to hear of it',
      () => copy.sh('journalctl -u custode-agent --no-pager | tail -20'),
      (words) => words.includes('Another machine reports as this device'),
    )
    // The original reports on.
    await host.sh('logger -t t-clone "the original"')
    await until(
      'its entry',
      () => events('the original'),
      (all) => all.length === 1,
    )
    await until('what it is', page, (now) => now.facts.system!.hostName === 'tm-hard')
    await copy.end()
  })

  describe('updated', () => {
    const program = `custode-agent-linux-${process.arch}`
    /** A newer one than this, and as long: 9.9.1, or 9.99.1. */
    let newer = ''
    const broken = '9.999.2'
    beforeAll(() => {
      const releases = join(agents, 'releases')
      // The same program, which calls itself another version.
      const version = readFileSync(join(root, 'dist/agent/version'), 'utf8')
      newer = `9.${'9'.repeat(version.length - '9..1'.length)}.1`
      const bytes = readFileSync(join(root, 'dist/agent', program))
      const renamed = Buffer.from(bytes)
      for (let at = renamed.indexOf(`"${version}"`); at >= 0; at = renamed.indexOf(`"${version}"`, at + 1))
        renamed.write(`"${newer}"`, at)
      const offers: Record<string, string | Buffer> = {
        [newer]: renamed,
        [broken]: `#!/bin/sh\n[ "$1" = version ] && echo custode-agent ${broken} && exit 0\nexit 1\n`,
        '9.9.3': 'not looked at',
        '0.3.9': 'not looked at',
      }
      for (const [version, content] of Object.entries(offers)) {
        mkdirSync(join(releases, version), { recursive: true })
        const file = join(releases, version, `${program}.gz`)
        writeFileSync(file, gzipSync(content, { level: 1 }))
        signRelease(file, { program: 'custode-agent', version, platform: `linux-${process.arch}`, floor: '0.0.0' })
      }
      // A server that is not ours any more signs what it likes, with a key of its own.
      const file = join(releases, '9.9.3', `${program}.gz.signed`)
      const { text } = JSON.parse(readFileSync(file, 'utf8')) as SignedText
      writeFileSync(
        file,
        JSON.stringify({
          text,
          signature: sign(null, Buffer.from(text), generateKeyPairSync('ed25519').privateKey).toString('base64'),
        }),
      )
    })
    const updateTo = async (version: string): Promise<UpdateRunPage['devices'][number]> => {
      const { body } = await here.house.lead<{ id: number; detail?: string }>('POST', '/api/update-runs', {
        version,
        deviceIds: [deviceId],
        waves: [],
        mostFailed: 1,
        minutes: 1,
      })
      if (!body.id) throw new Error(body.detail)
      const run = await until(
        `the update to ${version}`,
        async () => (await here.house.lead<UpdateRunPage>('GET', `/api/update-runs/${body.id}`)).body,
        (run) => run.devices.every((device) => ['updated', 'failed'].includes(device.state)),
        110_000,
      )
      return run.devices[0]!
    }
    it('it runs nothing that the release key has not signed, and goes back no further than its floor', async () => {
      expect(await updateTo('9.9.3')).toMatchObject({
        state: 'failed',
        reason: 'its signature is not that of the release key',
      })
      expect(await updateTo('0.3.9')).toMatchObject({
        state: 'failed',
        reason: expect.stringContaining('this agent goes back no further') as string,
      })
    })
    it(
      'to a newer version it runs that; one that does not start goes back by itself; the same again changes nothing',
      { timeout: 720_000 },
      async () => {
        expect(await updateTo(newer)).toMatchObject({ state: 'updated' })
        await until('the new version', page, (now) => now.agentVersion === newer)
        expect(await updateTo(broken)).toMatchObject({ state: 'failed' })
        await until('the version before', page, (now) => now.agentVersion === newer)
        expect(await updateTo(newer)).toMatchObject({ state: 'updated', reason: 'it ran already' })
        await reportsAgain()
        expect((await page()).agentVersion).toBe(newer)
      },
    )
  })

  it(
    'installed anew where programs may not run from /tmp, over links that its user has laid: root follows none of them',
    { timeout: 180_000 },
    async () => {
      // An installation that fails leaves what was there running.
      await host.sh('mkdir /usr/local/lib/custode-agent/custode-agent.new')
      await expect(installAgent(here, host)).rejects.toThrow('custode-agent.new')
      expect(
        await host.sh('rmdir /usr/local/lib/custode-agent/custode-agent.new; systemctl is-active custode-agent'),
      ).toBe('active\n')
      await reportsAgain()
      await host.sh(
        `mount -t tmpfs -o noexec,mode=1777 tmpfs /tmp; echo untouched > /root/victim; chmod 600 /root/victim; mkdir /root/folder; echo untouched > /root/folder/victim`,
      )
      await host.sh(
        `systemctl stop custode-agent; cd ${home}; for name in identity.json.new identity.copy.json.new sequence.new places.json.new adopted trial link; do rm -rf $name; setpriv --reuid custode-agent --regid custode-agent --clear-groups ln -s /root/victim $name; done; setpriv --reuid custode-agent --regid custode-agent --clear-groups ln -s /root/folder programs`,
      )
      expect(await installAgent(here, host)).toContain('enrolled already')
      expect(
        await host.sh(
          'cat /root/victim /root/folder/victim; stat -c "%U %a" /root/victim /root/folder /root/folder/victim; umount /tmp',
        ),
      ).toBe('untouched\nuntouched\nroot 600\nroot 755\nroot 644\n')
      await reportsAgain()
      // A check is no repair, and leaves nothing of root's behind.
      const listing = `cd ${home}; find . -not -path './spool/*' -printf '%p %U %m %s %T@\n' | grep -v -e sequence -e places -e '^. ' | sort`
      await host.sh('systemctl stop custode-agent')
      const before = await host.sh(listing)
      await host.run(`${agent} check`)
      expect(await host.sh(listing)).toBe(before)
      await host.sh('systemctl start custode-agent')
    },
  )

  it('removed, it leaves no file, no user and no process', async () => {
    await host.sh(`rm -rf /etc/systemd/system/custode-agent.service.d; ${agent} uninstall`)
    // What systemd gave a service for its own files it removes a moment after that has ended.
    await until(
      'nothing to be left',
      () =>
        host.sh(
          `find / -xdev \\( -name '*custode*' -o -user 999999 \\) -not -path '/proc/*' -not -path '/sys/*' -not -path '/var/log/journal/*' 2>/dev/null; getent passwd custode-agent; getent group custode-agent; pgrep -l -x custode-agent; true`,
        ),
      (left) => left === '',
    )
  })
})
