import { execFileSync } from 'node:child_process'
import { cpSync, mkdirSync, mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { request } from 'node:https'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { root } from '../../launcher/place.mjs'
import { signedByOwnAuthority } from '../../packages/standins/src/certificates'
import { Lan, serverPackages, type RealHost } from '../../packages/standins/src/realHosts'
import { leftOut } from './hostHouse'

// docs/operations.md, step by step, on a Debian 12 with PostgreSQL and nginx from its packages, with the files of
// deploy/.
let lan: Lan
let host: RealHost
let ca: string
const folder = mkdtempSync(join(tmpdir(), 'custode-operations-'))
const lead = { email: 'lead@lanternfield.example', password: 'a long password of our own' }

interface Answer {
  status: number
  headers: Record<string, string | string[] | undefined>
  body: string
}
/** As somebody on the network asks it, who trusts the authority of the house. */
function ask(path: string, { method = 'GET', body, cookie }: { method?: string; body?: object; cookie?: string } = {}) {
  return new Promise<Answer>((resolve, reject) => {
    const asked = request(
      {
        host: host.address,
        path,
        method,
        ca,
        timeout: 20_000,
        headers: {
          ...(body ? { 'content-type': 'application/json' } : {}),
          ...(cookie ? { cookie } : {}),
        },
      },
      (response) => {
        let text = ''
        response.setEncoding('utf8').on('data', (part: string) => (text += part))
        response.on('end', () => resolve({ status: response.statusCode!, headers: response.headers, body: text }))
      },
    )
    asked.on('error', reject).on('timeout', () => asked.destroy(new Error('no answer')))
    asked.end(body && JSON.stringify(body))
  })
}
const untilWell = () =>
  expect
    .poll(() => ask('/healthz').then(({ status, body }) => [status, body], String), { timeout: 60_000, interval: 300 })
    .toEqual([200, '{"status":"ok"}'])
async function signIn(): Promise<string> {
  const { status, headers } = await ask('/api/session', { method: 'POST', body: lead })
  expect(status).toBe(200)
  return headers['set-cookie']![0]!.split(';')[0]!
}

/** What is carried to the server: what was built, what runs it, and the packages that it needs at run time. */
function copyProduct(): void {
  const to = join(host.root, 'opt/custode')
  mkdirSync(to, { recursive: true })
  for (const part of ['dist', 'launcher', 'custode', 'package.json', 'packages/server/src/db/migrations'])
    cpSync(join(root, part), join(to, part), { recursive: true })
  const packages = execFileSync('npm', ['ls', '--omit=dev', '--all', '--parseable'], { cwd: root, encoding: 'utf8' })
  const wanted = packages
    .split('\n')
    .flatMap((path) => (path.startsWith(`${root}/node_modules/`) ? [path.slice(root.length + 1)] : []))
  execFileSync('cp', ['-a', '--parents', ...wanted, to], { cwd: root })
  // Debian 12 has an older Node: any of 20.19 and newer does, such as this one.
  cpSync(process.execPath, join(host.root, 'usr/local/bin/node'))
}

beforeAll(async () => {
  if (leftOut) return
  lan = await Lan.open()
  host = await lan.add('bookworm', 'lf-custode', serverPackages)
  const { ca: authority, ...tls } = signedByOwnAuthority(folder, host.address)
  ca = authority
  copyProduct()
  await host.sh('useradd --system --home /var/lib/custode --shell /usr/sbin/nologin custode')
  await host.sh('systemctl start postgresql')
  await host.sh(
    `su postgres -c "psql -qc \\"create role custode login password 'of the database'\\" -c 'create database custode owner custode'"`,
  )
  const environment = readFileSync(join(root, 'deploy/environment'), 'utf8')
    .replace('CHANGE-ME', 'of%20the%20database')
    .replace('https://custode.example', `https://${host.address}`)
  host.write('etc/custode/environment', environment, 0o600)
  host.write('etc/custode/tls/key.pem', tls.key, 0o600)
  host.write('etc/custode/tls/certificate.pem', tls.cert)
  host.write('etc/systemd/system/custode@.service', readFileSync(join(root, 'deploy/custode@.service')))
  host.write(
    'etc/nginx/sites-enabled/custode',
    readFileSync(join(root, 'deploy/nginx.conf'), 'utf8').replaceAll('custode.example', host.address),
  )
  // The first lead, once: taken out again when they have signed in.
  host.write(
    'etc/systemd/system/custode@7700.service.d/first.conf',
    `[Service]\nEnvironment="CUSTODE_FIRST_LEAD=${lead.email}\\nMara Velde\\n${lead.password}"\n`,
  )
  await host.sh('rm -f /etc/nginx/sites-enabled/default && nginx -t && systemctl restart nginx')
  await host.sh('systemctl daemon-reload && systemctl enable --now custode@7700')
}, 900_000)
afterAll(async () => {
  await lan?.close()
  rmSync(folder, { recursive: true, force: true })
})

describe.skipIf(leftOut)('a server as docs/operations.md has it', () => {
  it('runs under systemd as a user of its own, behind TLS, and lets the first lead in', async () => {
    await untilWell()
    expect((await host.sh('systemctl is-enabled custode@7700')).trim()).toBe('enabled')
    expect((await host.sh(`ps -o user= -p $(systemctl show -p MainPID --value custode@7700)`)).trim()).toBe('custode')
    const { headers } = await ask('/')
    expect(headers['strict-transport-security']).toContain('max-age')
    const cookie = await signIn()
    expect(cookie).toMatch(/^__Host-custode=/)
    expect((await ask('/api/session', { cookie })).body).toContain(lead.email)
    // What it knows of itself stays on the machine; there it is told.
    expect((await ask('/metrics')).status).toBe(403)
    expect(await host.sh('curl -fsS http://127.0.0.1:7700/metrics')).toContain('# EOF')
    expect(
      (
        await host.run(
          'curl -sS -o /dev/null -w %{http_code} -H "X-Forwarded-For: 192.0.2.1" http://127.0.0.1:7700/metrics',
        )
      ).stdout,
    ).toBe('403')
  })

  it('keeps its keys to itself, and writes nowhere else', async () => {
    expect((await host.sh('stat -c "%a %U" /var/lib/custode /var/lib/custode/keys')).trim().split('\n')).toEqual([
      '700 custode',
      '700 custode',
    ])
    const pid = (await host.sh('systemctl show -p MainPID --value custode@7700')).trim()
    expect((await host.run(`nsenter -t ${pid} -m touch /opt/custode/dist/here`)).code).not.toBe(0)
  })

  it('logs a line of JSON for each thing, for the journal', async () => {
    const lines = (await host.sh('journalctl -u custode@7700 -o cat'))
      .trim()
      .split('\n')
      .filter((line) => line.startsWith('{'))
    expect(lines.length).toBeGreaterThan(0)
    for (const line of lines)
      expect(JSON.parse(line)).toMatchObject({ level: expect.any(Number), time: expect.any(Number) })
  })

  it('has a second process beside it; one that is killed comes back, and meanwhile the other answers', async () => {
    await host.sh('systemctl enable --now custode@7701')
    await expect
      .poll(async () => (await host.run('curl -fsS http://127.0.0.1:7701/healthz')).code, { timeout: 60_000 })
      .toBe(0)
    const cookie = await signIn()
    await expect
      .poll(
        async () =>
          (JSON.parse((await ask('/api/health', { cookie })).body) as { processes: unknown[] }).processes.length,
        {
          timeout: 60_000,
        },
      )
      .toBe(2)
    for (const port of [7700, 7701]) {
      await host.sh(`kill -9 $(systemctl show -p MainPID --value custode@${port})`)
      for (let i = 0; i < 10; i++) expect((await ask('/api/session', { cookie })).status).toBe(200)
      await expect
        .poll(async () => (await host.run(`curl -fsS http://127.0.0.1:${port}/healthz`)).code, { timeout: 60_000 })
        .toBe(0)
    }
  })

  it('is there again after the machine was restarted', async () => {
    await host.reboot()
    await untilWell()
  })

  it('takes mail from clients at one process or the other, and answers by the mail server of the house', async () => {
    // Both ends of mail outside of the house: a mail server that keeps what comes, and whoever writes from a client.
    await host.sh('echo CUSTODE_MAIL_PORT=2525 >> /etc/custode/environment')
    await host.sh(
      'systemd-run --unit=outside /usr/local/bin/node /opt/custode/dist/programs/messages.mjs 7704 7705 2525',
    )
    await host.sh('systemctl restart "custode@*"')
    await untilWell()
    const cookie = await signIn()
    const put = (path: string, body: object) => ask(path, { method: 'PUT', body, cookie })
    const mail = {
      host: '127.0.0.1',
      port: 7705,
      security: 'none',
      username: '',
      sender: 'custode@lanternfield.example',
    }
    expect((await put('/api/ways/mail', mail)).status).toBe(200)
    expect((await put('/api/inbox', { addresses: ['help@lanternfield.example'] })).status).toBe(200)
    expect((await ask('/api/ways/mail/test', { method: 'POST', cookie })).body).toContain('"isWell":true')
    const write = async (subject: string) =>
      (
        await host.run(
          `curl -fsSL http://127.0.0.1:7704/write --data-urlencode 'from=Odile <odile@tidemill.example>' --data-urlencode 'subject=${subject}' --data-urlencode 'text=It beeps.'`,
        )
      ).stdout.includes('It was taken')
    const requests = async () =>
      (JSON.parse((await ask('/api/requests', { cookie })).body) as { rows: { id: number; subject: string }[] }).rows
    await expect.poll(() => write('Turnstile'), { timeout: 60_000, interval: 1000 }).toBe(true)
    const { id } = (await requests())[0]!
    const answered = { method: 'POST', body: { text: 'Try it now.' }, cookie }
    expect((await ask(`/api/requests/${id}/answers`, answered)).status).toBe(200)
    await expect
      .poll(() => host.sh('curl -fsS http://127.0.0.1:7704/'), { timeout: 30_000, interval: 500 })
      .toMatch(/odile@tidemill\.example<\/b>: Re: Turnstile/)
    // Whichever process takes mail is ended: the other does.
    const holder = /pid=(\d+)/.exec(await host.sh('ss -ltnpH sport = :2525'))![1]!
    const unit = /custode@\d+/.exec(await host.sh(`cat /proc/${holder}/cgroup`))![0]
    await host.sh(`systemctl stop ${unit}`)
    await expect.poll(() => write('Turnstile again'), { timeout: 60_000, interval: 1000 }).toBe(true)
    expect((await requests()).map(({ subject }) => subject)).toEqual(['Turnstile again'])
    await host.sh(`systemctl start ${unit}`)
  })

  it('all is lost but a backup, and everything is there again', async () => {
    const cookie = await signIn()
    const client = { name: 'Tidemill Ferries', code: 'tm' }
    expect((await ask('/api/clients', { method: 'POST', body: client, cookie })).status).toBe(200)
    const custode = 'set -a; . /etc/custode/environment; set +a; cd /opt/custode; ./custode'
    // While it runs.
    await host.sh(`mkdir -p -m 700 /var/backups/custode; ${custode} backup /var/backups/custode/house.backup`)
    await host.sh('systemctl stop "custode@*"')
    await host.sh(`su postgres -c 'dropdb custode'; rm -r /var/lib/custode/keys`)
    await host.sh(`su postgres -c 'createdb -O custode custode'`)
    await host.sh(`${custode} restore /var/backups/custode/house.backup && chown -R custode: /var/lib/custode/keys`)
    await host.sh('systemctl start custode@7700 custode@7701')
    await untilWell()
    expect((await ask('/api/clients', { cookie: await signIn() })).body).toContain('Tidemill Ferries')
  })

  it('a database that a newer version has changed is left alone, and the journal says what to do', async () => {
    await host.sh(`su postgres -c "psql -qd custode -c \\"insert into migration (name) values ('9999_newer.sql')\\""`)
    await host.run('systemctl restart custode@7700')
    await expect
      .poll(async () => (await host.run('journalctl -u custode@7700 -o cat -n 20')).stdout, { timeout: 60_000 })
      .toMatch(/A newer version of Custode has changed this database .* restore what was saved/)
    await host.sh(`su postgres -c "psql -qd custode -c \\"delete from migration where name like '9999%'\\""`)
    await untilWell()
  })
})
