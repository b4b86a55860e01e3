import { setTimeout as wait } from 'node:timers/promises'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { AlertView, DevicePage } from '#contract'
import { hour, type Values, type WatchSpec } from '#core'
import { eximPackages, postfixPackages, type RealHost } from '../../packages/standins/src/realHosts'
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
  eachOf,
  watchSpec as watch,
} from './hostHouse'

const program = (key: string, values: Values) =>
  watch(key, 'program-counters', { program: key, checks: 1, severity: 'warning', ...values })
const quiet = (spec: WatchSpec): WatchSpec =>
  spec.kind === 'program-counters' ? { ...spec, values: { ...spec.values, severity: 'nothing' } } : spec
const nginx = 'http://127.0.0.1:8081/nginx_status'
const apache = 'http://127.0.0.1:8080/server-status?auto'
/** Some programs take ten seconds to tell root's script anything, on machines that share their cores. */
const asked = 60_000

const watches = [
  program('nginx', { from: nginx }),
  program('apache', { from: apache }),
  program('postgresql', {}),
  program('mariadb', {}),
  program('memcached', {}),
  program('postfix', {}),
  program('exim', {}),
  program('openldap', {}),
  watch('shop', 'program-counters', {
    called: 'shop',
    from: '/srv/shop.json',
    counters: ['orders = /orders/open', 'failed = sum of /pools/*/failed', 'age = /at, ago'],
    old: hour,
    checks: 1,
  }),
  watch('cache', 'program-counters', {
    called: 'cache',
    from: 'unix:/run/cache/cache.sock',
    say: 'stats',
    counters: ['connections = after "STAT curr_connections"'],
    checks: 1,
    severity: 'notice',
  }),
  watch('metrics', 'program-counters', {
    called: 'metrics',
    from: 'http://127.0.0.1:8081/metrics',
    counters: ['jobs = jobs{state="failed"}', 'all = sum of jobs'],
    checks: 1,
  }),
  watch('orders', 'counter-number', { counters: ['shop: orders'], warning: 5, hold: 0, 'clear.hold': 0 }),
]

// What programs tell of themselves, held against their own tools in the same minute, on Debian 12 and 13.
describe.skipIf(leftOut)('counters of programs', () => {
  let here: HostHouse
  /** Debian 13 with Postfix, Debian 12 with Exim. */
  let hosts: RealHost[]

  beforeAll(async () => {
    here = await openHostHouse()
    // Until each has told for the first time nothing is raised: what fails again and again is not closed for long.
    await watchFor(here, watches.map(quiet))
    hosts = await Promise.all([
      here.lan.add('trixie', 'tm-apps', postfixPackages),
      here.lan.add('bookworm', 'tm-apps-old', eximPackages),
    ])
    await Promise.all(
      hosts.map(async (host) => {
        host.write(
          '/etc/nginx/conf.d/status.conf',
          `server { listen 127.0.0.1:8081; root /srv/www; location = /nginx_status { stub_status; } }\n`,
        )
        host.write('/srv/www/metrics', '# TYPE jobs gauge\njobs{state="failed"} 3\njobs{state="done"} 39\n# EOF\n')
        host.write('/srv/shop.json', shop(3))
        await host.sh(
          `sed -i 's/^Listen 80$/Listen 8080/' /etc/apache2/ports.conf; systemctl start apache2; systemctl reload nginx
           chmod 755 /srv/www; chmod 644 /srv/www/metrics
           install -d -o memcache /run/cache
           systemd-run --unit=cache memcached -u memcache -s /run/cache/cache.sock -a 0777`,
        )
        await installAgent(here, host)
        // Root asks twice a minute otherwise.
        await host.sh(
          `sed -i 's/^  sleep 30$/  sleep 3/' /usr/local/lib/custode-agent/counters
           systemctl try-restart custode-agent-counters.service`,
        )
        await until(
          `all programs of ${host.name}`,
          () => pageOf(here, host.name),
          ({ facts }) =>
            (facts.counters?.length ?? 0) >= 9 &&
            !facts.counters!.some(({ trouble }) => trouble !== undefined && trouble !== 'not-here'),
          asked,
        )
      }),
    )
    await changeTo(watches)
  })
  afterAll(() => here.close())

  /** The one template has other watches from now on. */
  const changeTo = async (to: readonly WatchSpec[]) => {
    const { body } = await here.house.lead<{ id: number }[]>('GET', '/api/templates')
    const { id } = body[0]!
    const page = await here.house.lead<{ revision: number; name: string }>('GET', `/api/templates/${id}`)
    const step = { of: 'template', id, basedOn: page.body.revision, note: '' }
    const changed = await here.house.lead('POST', '/api/policy/changes', {
      steps: [{ ...step, to: { name: page.body.name, description: '', includes: [], watches: to } }],
    })
    expect(changed.status).toBe(200)
  }

  const shop = (open: number) =>
    JSON.stringify({ orders: { open }, pools: [{ failed: 1 }, { failed: 2 }], at: Math.floor(Date.now() / 1000) - 600 })
  const onEach = eachOf(() => hosts)
  const valueOf = (page: DevicePage, series: string) => page.latest?.readings.find(([, name]) => name === series)?.[2]
  /** The value of a series, once it is what it should be. */
  const read = async (host: RealHost, series: string, isSo: (value: number) => boolean = () => true) =>
    await until(
      `${series} of ${host.name}`,
      async () => valueOf(await pageOf(here, host.name), series) ?? NaN,
      (value) => !Number.isNaN(value) && isSo(value),
      asked,
    )
  const openOf = async (host: RealHost) =>
    (await alertsOf(here, (await pageOf(here, host.name)).id)).filter(({ status }) => status !== 'closed')
  const alert = (host: RealHost, key: string, isSo: (alerts: AlertView[]) => boolean) =>
    until(
      `${key} of ${host.name}`,
      async () => (await openOf(host)).filter(({ watch: own }) => own === key),
      isSo,
      asked,
    )
  const textOf = ([first]: AlertView[]) => first?.evidence?.text
  const number = async (host: RealHost, script: string) => Number((await host.sh(script)).trim())

  onEach('nginx: connections that are held, and requests a second, as its page tells curl', async (host) => {
    await host.sh(
      `systemd-run --unit=hold bash -c 'for i in 1 2 3 4 5; do exec {fd}<>/dev/tcp/127.0.0.1/8081; done; sleep 600'`,
    )
    const told = () => host.sh(`curl -s ${nginx}`)
    // The one that asks is among them.
    await until('five that are held', told, (text) => text.includes('Active connections: 6'))
    expect(await read(host, 'nginx: connections', (value) => value === 6)).toBe(6)
    await host.sh('systemctl stop hold')
    await host.sh(
      `systemd-run --unit=ask bash -c 'while :; do curl -so /dev/null http://127.0.0.1:8081/metrics; sleep 0.1; done'`,
    )
    await read(host, 'nginx: requests', (value) => value > 1)
    const counted = async () =>
      (await host.sh(`curl -s ${nginx} | awk 'NR == 3 { print $3 }'; date +%s.%N`)).split('\n').map(Number)
    const measure = async () => {
      const [before, from] = await counted()
      await wait(24_000)
      const [after, until] = await counted()
      return (after! - before!) / (until! - from!)
    }
    const [measured, mean] = await toldMeanwhile(() => pageOf(here, host.name), measure())
    await host.sh('systemctl stop ask')
    const rate = mean('counter.rate', 'nginx: requests')
    expect(rate).toBeGreaterThan(measured / 2)
    expect(rate).toBeLessThan(measured * 2)
  })

  onEach('Apache: its workers, as its page tells curl', async (host) => {
    const idle = await number(host, `curl -s '${apache}' | awk '/^IdleWorkers:/ { print $2 }'`)
    expect(await read(host, 'apache: idle workers')).toBe(idle)
    expect(await read(host, 'apache: busy workers')).toBe(1)
  })

  onEach('PostgreSQL: who is connected, waits and has forgotten, as its own views tell', async (host) => {
    const psql = 'setpriv --reuid=postgres --regid=postgres --init-groups psql -qAt -d postgres'
    await host.sh(`cd /; ${psql} -c 'create table queue (id int)'`)
    // One that holds a lock and does nothing more, and one that waits for it.
    await host.sh(
      `cd /; systemd-run --unit=forgot bash -c '(echo "begin; lock table queue;"; sleep 900) | ${psql}'
       until [ "$(${psql} -c "select count(*) from pg_locks where relation = 'queue'::regclass")" = 1 ]; do sleep 0.2; done
       systemd-run --unit=waits bash -c '${psql} -c "select * from queue"'`,
    )
    await read(host, 'postgresql: waiting for locks', (value) => value === 1)
    const connections = await number(
      host,
      `cd /; ${psql} -c "select count(*) - 1 from pg_stat_activity where backend_type = 'client backend'"`,
    )
    expect(await read(host, 'postgresql: connections')).toBe(connections)
    expect(await read(host, 'postgresql: connections used')).toBeCloseTo(connections / 100, 3)
    expect(await read(host, 'postgresql: idle in transaction', (value) => value > 1)).toBeGreaterThan(1)
    expect(await read(host, 'postgresql: transactions of postgres', (value) => value > 0)).toBeGreaterThan(0)
    await host.sh('systemctl stop waits; systemctl stop forgot')
    await read(host, 'postgresql: waiting for locks', (value) => value === 0)
  })

  onEach('MariaDB: who is connected, as its own status tells', async (host) => {
    await host.sh(`systemd-run --unit=three bash -c 'for i in 1 2 3; do mariadb -e "select sleep(600)" & done; wait'`)
    const status = `mariadb -BNe "show global status like 'Threads_connected'" | awk '{ print $2 - 1 }'`
    await until(
      'three that are connected',
      () => number(host, status),
      (count) => count === 3,
    )
    expect(await read(host, 'mariadb: connections', (value) => value === 3)).toBe(3)
    await host.sh('systemctl stop three')
  })

  onEach('PostgreSQL: how far a standby is behind, as the server tells by itself', async (host) => {
    const version = host === hosts[0] ? 17 : 15
    const as = 'cd /; setpriv --reuid=postgres --regid=postgres --init-groups'
    await host.sh(
      `pg_createcluster ${version} standby -p 5433
       rm -rf /var/lib/postgresql/${version}/standby
       ${as} pg_basebackup -D /var/lib/postgresql/${version}/standby -R -c fast
       systemctl start postgresql@${version}-standby`,
    )
    const series = `postgresql: standby behind of ${version}/standby`
    expect(await read(host, series, (value) => value === 0)).toBe(0)
    await host.sh(
      `${as} psql -qAt -p 5433 -d postgres -c 'select pg_wal_replay_pause()'
       ${as} psql -qAt -d postgres -c 'create table many as select generate_series(1, 50000)'`,
    )
    const behind = await number(
      host,
      `${as} psql -qAt -d postgres -c 'select pg_wal_lsn_diff(pg_current_wal_lsn(), replay_lsn) from pg_stat_replication'`,
    )
    expect(behind).toBeGreaterThan(1_000_000)
    expect(await read(host, series, (value) => value >= behind - 1024)).toBeGreaterThan(1_000_000)
    await host.sh(`${as} psql -qAt -p 5433 -d postgres -c 'select pg_wal_replay_resume()'`)
    await read(host, series, (value) => value < 1_000_000)
  })

  it('MariaDB: a replica that follows, and one that stands still', async () => {
    const [replica, main] = hosts as [RealHost, RealHost]
    const settings = (id: number) =>
      `[mariadb]\nserver_id = ${id}\nlog_bin = /var/lib/mysql/log\nbind_address = 0.0.0.0\n`
    main.write('/etc/mysql/mariadb.conf.d/90-replication.cnf', settings(1))
    replica.write('/etc/mysql/mariadb.conf.d/90-replication.cnf', settings(2))
    await Promise.all([main, replica].map((host) => host.sh('systemctl restart mariadb')))
    await main.sh(
      `mariadb -e "create user follower identified by 'lantern'; grant replication slave on *.* to follower"`,
    )
    await replica.sh(
      `mariadb -e "change master to master_host = '${main.address}', master_user = 'follower', master_password = 'lantern', master_use_gtid = no, master_ssl = 0; start slave"`,
    )
    const status = () => replica.sh(`mariadb -E -e 'show replica status'`)
    await until(
      'the replica follows',
      status,
      (text) => text.includes('Slave_SQL_Running: Yes') && text.includes('Slave_IO_Running: Yes'),
    )
    expect(await read(replica, 'mariadb: replica runs of this server', (value) => value === 1)).toBe(1)
    // What was there before it follows it catches up with first.
    await until('it is as far', status, (text) => text.includes('Seconds_Behind_Master: 0'))
    expect(await read(replica, 'mariadb: replica behind of this server', (value) => value === 0)).toBe(0)
    await replica.sh(`mariadb -e 'stop slave sql_thread'`)
    expect(await status()).toContain('Seconds_Behind_Master: NULL')
    await read(replica, 'mariadb: replica runs of this server', (value) => value === 0)
    // How far it is behind nobody knows then: the series is there, and tells nothing.
    const { facts, latest } = await pageOf(here, replica.name)
    const told = facts.counters!.find(({ name }) => name === 'mariadb')!
    expect([told.missing, told.series.some(({ name }) => name.startsWith('mariadb: replica behind'))]).toEqual([
      [],
      true,
    ])
    expect(latest!.readings.some(([, name]) => name.startsWith('mariadb: replica behind'))).toBe(false)
  })

  onEach('memcached by its port and by a socket, JSON by a file, OpenMetrics by a page', async (host) => {
    const ask = (script: string) => `bash << 'E'\nexec 3<>/dev/tcp/127.0.0.1/11211\n${script}\nE`
    await host.sh(
      ask(
        `{ printf 'set big 0 0 500000\\r\\n'; head -c 500000 /dev/zero; printf '\\r\\n'; } >&3; read -r said <&3; echo "$said"`,
      ),
    )
    const bytes = await number(
      host,
      ask(`printf 'stats\\r\\nquit\\r\\n' >&3; tr -d '\\r' <&3 | awk '$2 == "bytes" { print $3 }'`),
    )
    expect(bytes).toBeGreaterThan(500_000)
    // Kept to the KiB.
    expect(Math.abs((await read(host, 'memcached: used', (value) => value > 1000)) - bytes)).toBeLessThan(1024)
    expect(await read(host, 'cache: connections')).toBeGreaterThan(0)
    expect(await read(host, 'metrics: jobs')).toBe(3)
    expect(await read(host, 'metrics: all')).toBe(42)
    expect(await read(host, 'shop: failed')).toBe(3)
    expect(Math.abs((await read(host, 'shop: age')) - 600)).toBeLessThan(300)
  })

  it('the queue of Postfix, as postqueue(1) tells', async () => {
    const [host] = hosts as [RealHost]
    await host.sh(
      `postconf -e defer_transports=smtp; postfix reload 2>&1
       for i in 1 2 3 4; do echo hello | sendmail -f root someone@tidemill.example; done`,
    )
    expect(await read(host, 'postfix: queue', (value) => value === 4)).toBe(await number(host, 'postqueue -j | wc -l'))
    expect(await read(host, 'postfix: oldest message', (value) => value > 0)).toBeGreaterThan(0)
    await host.sh('postsuper -d ALL 2>&1')
    await read(host, 'postfix: queue', (value) => value === 0)
  })

  it('the queue of Exim, as it tells itself', async () => {
    const [, host] = hosts as [RealHost, RealHost]
    await host.sh(
      `for i in 1 2 3; do echo hello | exim4 -odq -f root someone@tidemill.example; done
       exim4 -Mf $(exim4 -bp | grep -o '[0-9A-Za-z]\\{6\\}-[0-9A-Za-z]*-[0-9A-Za-z]*' | head -n 1)`,
    )
    expect(await read(host, 'exim: queue', (value) => value === 3)).toBe(await number(host, 'exim4 -bpc'))
    expect(await read(host, 'exim: frozen', (value) => value === 1)).toBe(1)
  })

  it('replication of directories: in step, stalled, and a provider that does not answer', async () => {
    const [provider, consumer] = hosts as [RealHost, RealHost]
    const series = (what: string) => `openldap: ${what} of ldap://${provider.address} dc=nodomain`
    const config = (host: RealHost, ldif: string) =>
      host.sh(`ldapmodify -Q -Y EXTERNAL -H ldapi:/// << 'E'\n${ldif}\nE`)
    const unit = (name: string) =>
      provider.sh(
        `ldapadd -x -D cn=admin,dc=nodomain -w lantern -H ldapi:/// << 'E'\ndn: ou=${name},dc=nodomain\nobjectClass: organizationalUnit\nou: ${name}\nE`,
      )
    const follow = (how: string) =>
      config(
        consumer,
        `dn: olcDatabase={1}mdb,cn=config\nchangetype: modify\nreplace: olcSyncrepl\nolcSyncrepl: rid=001 provider=ldap://${provider.address} searchbase="dc=nodomain" type=refreshAndPersist retry="5 +" bindmethod=simple${how}`,
      )
    const state = (host: RealHost) => host.sh(`ldapsearch -x -LLL -s base -b dc=nodomain contextCSN | grep contextCSN`)
    await config(
      provider,
      `dn: cn=module{0},cn=config\nchangetype: modify\nadd: olcModuleLoad\nolcModuleLoad: syncprov\n
dn: olcOverlay=syncprov,olcDatabase={1}mdb,cn=config\nchangetype: add\nobjectClass: olcOverlayConfig\nobjectClass: olcSyncProvConfig\nolcOverlay: syncprov\n
dn: olcDatabase={1}mdb,cn=config\nchangetype: modify\nreplace: olcRootPW\nolcRootPW: lantern`,
    )
    await unit('people')
    await follow('')
    const there = await state(provider)
    await until(
      'the same state',
      () => state(consumer),
      (text) => text === there,
    )
    expect(await read(consumer, series('provider answers'), (value) => value === 1)).toBe(1)
    // The look before may be of the time at which it was not.
    expect(await read(consumer, series('replication stalled'), (value) => value === 0)).toBe(0)
    // The provider does not let it in any more, and still tells anybody how far it is.
    await follow(' binddn=cn=nobody,dc=nodomain credentials=wrong')
    await unit('more')
    expect(await read(consumer, series('replication stalled'), (value) => value > 20)).toBeGreaterThan(20)
    await follow('')
    await read(consumer, series('replication stalled'), (value) => value === 0)
    await provider.sh('systemctl stop slapd')
    await read(consumer, series('provider answers'), (value) => value === 0)
    await provider.sh('systemctl start slapd')
  })

  onEach('what does not tell any more is told, and clears nothing', async (host) => {
    host.write('/srv/shop.json', shop(9))
    expect(textOf(await alert(host, 'orders', (alerts) => alerts.length === 1))).toBe('shop: orders 9')
    await host.sh('touch -d "3 hours ago" /srv/shop.json')
    expect(textOf(await alert(host, 'shop', (alerts) => alerts.length === 1))).toBe(
      'shop tells of another time: the file was not written of late',
    )
    await host.sh('touch /srv/shop.json; chmod 600 /srv/shop.json')
    await alert(host, 'shop', (alerts) => textOf(alerts) === 'shop does not tell: the agent may not read it')
    host.write('/srv/shop.json.new', '{"orders":')
    await host.sh('chmod 644 /srv/shop.json.new; mv /srv/shop.json.new /srv/shop.json')
    await alert(host, 'shop', (alerts) => textOf(alerts) === 'shop gives no JSON')
    await host.sh('rm /srv/shop.json')
    await alert(host, 'shop', (alerts) => textOf(alerts) === 'shop does not tell: /srv/shop.json is not there')
    host.write('/srv/shop.json', '{"pools":[]}')
    await alert(host, 'shop', (alerts) => textOf(alerts)?.startsWith('shop does not tell “orders”') ?? false)
    // All the time it was nine, for all that anybody knows.
    expect((await openOf(host)).map(({ watch: key }) => key)).toContain('orders')
    host.write('/srv/shop.json', shop(2))
    await alert(host, 'shop', (alerts) => alerts.length === 0)
    await alert(host, 'orders', (alerts) => alerts.length === 0)
  })

  onEach('a page that is gone, and a database that does not let its own user in, say so and why', async (host) => {
    await host.sh(`sed -i s/nginx_status/moved/ /etc/nginx/conf.d/status.conf; systemctl reload nginx`)
    expect(textOf(await alert(host, 'nginx', (alerts) => alerts.length === 1))).toBe('nginx answers 404')
    await host.sh(
      `sed -i 's/^local/#local/' /etc/postgresql/*/main/pg_hba.conf; pg_ctlcluster $(ls /etc/postgresql) main reload`,
    )
    expect(textOf(await alert(host, 'postgresql', (alerts) => alerts.length === 1))).toMatch(
      /^postgresql cannot be read \(.*pg_hba\.conf.*\)$/,
    )
    await host.sh(
      `sed -i s/moved/nginx_status/ /etc/nginx/conf.d/status.conf; systemctl reload nginx
       sed -i 's/^#local/local/' /etc/postgresql/*/main/pg_hba.conf; pg_ctlcluster $(ls /etc/postgresql) main reload`,
    )
    await alert(host, 'nginx', (alerts) => alerts.length === 0)
    await alert(host, 'postgresql', (alerts) => alerts.length === 0).catch(async (error: Error) => {
      const { stdout } = await host.run(
        'cd /run/custode-agent-counters; date; ls -l --full-time; head -n 3 postgresql; systemctl status --no-pager custode-agent-counters; tail -n 20 /var/log/postgresql/*.log',
      )
      throw new Error(`${error.message}\n${stdout}`, { cause: error })
    })
  })

  onEach('one that is stopped is for the watch of services; one that is not installed is not asked', async (host) => {
    await host.sh('systemctl stop memcached')
    const { latest } = await until(
      'memcached is stopped',
      () => pageOf(here, host.name),
      ({ facts }) => facts.services?.find(({ name }) => name === 'memcached')?.state === 'stopped',
    )
    // Three reports later it would be told.
    await until(
      'three more reports',
      () => pageOf(here, host.name),
      (page) => page.latest!.at > latest!.at + 6000,
    )
    expect((await openOf(host)).map(({ watch: key }) => key)).not.toContain('memcached')
    await host.sh('systemctl start memcached')
    const { facts } = await pageOf(here, host.name)
    const other = host === hosts[0] ? 'exim' : 'postfix'
    expect(facts.counters?.map(({ name }) => name)).not.toContain(other)
    expect(await host.sh('ls /var/lib/custode-agent/counters-wanted')).not.toContain(other)
  })

  onEach('what root read only root and the agent can read', async (host) => {
    const rights = await host.sh('stat -c "%U %G %a" /run/custode-agent-counters /run/custode-agent-counters/mariadb')
    expect(rights.trim().split('\n')).toEqual(['root custode-agent 750', 'root custode-agent 640'])
  })

  it('ends when nobody asks any more', async () => {
    await changeTo([program('memcached', {})])
    for (const host of hosts)
      await until(
        `nothing is asked on ${host.name}`,
        () =>
          host.sh(
            'ls /var/lib/custode-agent/counters-wanted; systemctl is-active custode-agent-counters.service || true',
          ),
        (text) => text.trim() === 'inactive',
        asked,
      )
  })
})
