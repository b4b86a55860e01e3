import { execFileSync } from 'node:child_process'
import { createHash, generateKeyPairSync } from 'node:crypto'
import {
  copyFileSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createServer as createTlsServer } from 'node:tls'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { ReleaseStatement, SignedProgram, SignedText } from '#contract/report'
import type { Identity } from '../identity/identity'
import { certificateEnd } from '../optional/certificates'
import { ReleaseTrust } from '../updates/release'
import { keyStatement, releaseKeyOf, signedBy } from '../updates/release/testing'
import { eventlogCollector, logsBelow } from './linux/eventlog'
import { readProgramLine } from './linux/eventlog/logLine'
import { OptionalCollectors } from './optional'

const folder = mkdtempSync(join(tmpdir(), 'custode-optional-'))
const keys = generateKeyPairSync('ed25519')
let offered: SignedProgram
let changes: SignedText[] = []
let server: Server
let identity: Identity
const digestOf = (source: string) => createHash('sha256').update(source).digest('hex')
const source = (value: number) =>
  `exports.collector = () => ({ name: 'certificates', collect: () => ({ readings: [['certificate.left', '443', ${value}]] }) })`
function offer(text: string, more: Partial<ReleaseStatement> = {}, by = keys): void {
  const said: ReleaseStatement = {
    says: 'release',
    program: 'collector/certificates',
    version: '1.0.0',
    platform: 'any',
    sha256: digestOf(text),
    floor: '1.0.0',
    ...more,
  }
  offered = { source: text, signed: signedBy(by, said) }
}

beforeAll(async () => {
  mkdirSync(join(folder, 'home'))
  server = createServer((request, response) =>
    response
      .setHeader('content-type', 'application/json')
      .end(JSON.stringify(request.url === '/agent/release-keys' ? changes : offered)),
  )
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  identity = {
    server: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    deviceId: 1,
    deviceKey: 'k',
    name: 'n',
    interval: 60_000,
  }
})
afterAll(() => {
  server.close()
  rmSync(folder, { recursive: true })
})

describe('an optional collector', () => {
  const home = join(folder, 'home')
  const wanted = (text: string) => [{ name: 'certificates' as const, digest: digestOf(text) }]
  const open = () => new OptionalCollectors(home, identity, new ReleaseTrust(home, releaseKeyOf(keys, 1)))
  const values = async (optional: OptionalCollectors) =>
    Promise.all(optional.collectors.map(async (collector) => (await collector.collect(0)).readings![0]![2]))

  it('is fetched, runs, is there after a restart, and follows its newer program', async () => {
    offer(source(1))
    const optional = open()
    await optional.follow(wanted(source(1)))
    expect([optional.names, await values(optional), optional.troubles]).toEqual([['certificates'], [1], []])
    const restarted = open()
    expect(await values(restarted)).toEqual([1])
    offer(source(2))
    await restarted.follow(wanted(source(2)))
    expect(await values(restarted)).toEqual([2])
  })
  it.each([
    [
      'signed by another',
      () => offer(source(3), {}, generateKeyPairSync('ed25519')),
      'its signature is not that of the release key',
    ],
    ['under another name', () => offer(source(3), { program: 'custode-agent' }), 'it is “custode-agent”'],
    [
      'older than the one that it had',
      () => offer(source(3), { version: '0.9.0' }),
      'version 0.9.0 is older than 1.0.0',
    ],
    ['changed after it was signed', () => offer(source(3), { sha256: digestOf('x') }), 'its digest is another'],
    ['that is no program', () => offer('))'), 'Unexpected token'],
  ])('%s is refused, and the one before goes on', async (_, prepare, reason) => {
    prepare()
    const optional = open()
    await optional.follow(wanted(source(3)))
    expect(optional.troubles).toEqual([
      { collector: 'certificates', reason: expect.stringContaining(reason) as string },
    ])
    expect(await values(optional)).toEqual([2])
  })
  it('that does not load raises no floor: the one before is there after a restart', async () => {
    offer('))', { version: '2.0.0', floor: '2.0.0' })
    await open().follow(wanted('))'))
    expect(await values(open())).toEqual([2])
  })
  it('whose file was changed on disk is not run', () => {
    const file = join(home, 'collectors', 'certificates.json')
    const kept = readFileSync(file, 'utf8')
    writeFileSync(file, kept.replace('443', '444'))
    expect(open().names).toEqual([])
    writeFileSync(file, kept)
  })
  it('signed with a later key is taken when the key before has signed that change', async () => {
    const later = generateKeyPairSync('ed25519')
    offer(source(4), {}, later)
    changes = [keyStatement(keys, later, 2)]
    const optional = open()
    await optional.follow(wanted(source(4)))
    expect([await values(optional), optional.troubles, await values(open())]).toEqual([[4], [], [4]])
  })
  it('goes when nobody wants it any more', async () => {
    const optional = open()
    expect(optional.names).toEqual(['certificates'])
    await optional.follow([])
    expect(optional.names).toEqual([])
    expect(existsSync(join(home, 'collectors', 'certificates.json'))).toBe(false)
  })
})

it('the end of a certificate is what openssl(1) reads from it', async () => {
  const [key, certificate] = [join(folder, 'key.pem'), join(folder, 'certificate.pem')]
  execFileSync(
    'openssl',
    [
      'req',
      '-x509',
      '-newkey',
      'ec',
      '-pkeyopt',
      'ec_paramgen_curve:prime256v1',
      '-nodes',
      '-keyout',
      key,
      '-out',
      certificate,
      '-days',
      '33',
      '-subj',
      '/CN=tm-gate-1.example',
    ],
    { stdio: 'ignore' },
  )
  const tls = createTlsServer({ key: readFileSync(key), cert: readFileSync(certificate) })
  await new Promise<void>((resolve) => tls.listen(0, '127.0.0.1', resolve))
  const end = execFileSync('openssl', ['x509', '-enddate', '-noout', '-in', certificate], { encoding: 'utf8' })
    .trim()
    .replace('notAfter=', '')
  expect(await certificateEnd((tls.address() as AddressInfo).port)).toBe(Date.parse(end))
  tls.close()
  expect(await certificateEnd((server.address() as AddressInfo).port)).toBeNull()
})

describe('logs beyond the ordinary', () => {
  const logs = join(folder, 'log')
  const home = join(folder, 'reader')
  beforeAll(() => {
    mkdirSync(join(logs, 'nginx'), { recursive: true })
    mkdirSync(home)
    for (const [name, text] of [
      ['syslog', ''],
      ['nginx/error.log', ''],
      ['nginx/error.log.1', 'old\n'],
      ['nginx/access.log', ''],
    ])
      writeFileSync(join(logs, name!), text!)
  })
  it('are those of the folder and the folders in it, without what was rotated away', () => {
    expect(logsBelow(logs)).toEqual(['syslog', 'nginx/access.log', 'nginx/error.log'])
  })
  it('are told, and read only when wanted; a line in a form of its own counts by its words', async () => {
    let wanted: string[] = []
    const collector = eventlogCollector({ wanted: () => wanted, folder: logs })
    const first = await collector.collect(1000)
    expect(first.facts!.logs!.filter((log) => log.name.startsWith('nginx'))).toEqual([
      { name: 'nginx/access.log', collected: false },
      { name: 'nginx/error.log', collected: false },
    ])
    wanted = ['nginx/err*', 'mail.err']
    // What stood there before was not written now, and says so only where the line itself has a time.
    const before = '2026/11/01 10:00:00 [error] 12#12: long ago\n'
    writeFileSync(join(logs, 'nginx/error.log'), before)
    expect((await collector.collect(2000)).events!.filter((event) => event.channel === 'nginx/error.log')).toEqual([])
    writeFileSync(
      join(logs, 'nginx/error.log'),
      before + '2026/11/23 10:00:00 [error] 12#12: *1 connect() failed (111: Connection refused)\n',
    )
    const next = await collector.collect(3000)
    expect(next.facts!.logs!.find((log) => log.name === 'nginx/error.log')).toEqual({
      name: 'nginx/error.log',
      collected: true,
    })
    expect(next.events!.filter((event) => event.channel === 'nginx/error.log')).toEqual([
      {
        at: 3000,
        channel: 'nginx/error.log',
        source: 'nginx',
        id: null,
        level: 'error',
        text: expect.stringContaining('Connection refused') as string,
      },
    ])
  })
  it('that were made since it was looked which there are, as one a day or one a run, are news from their first line on', async () => {
    const here = join(folder, 'made')
    mkdirSync(here)
    const wanted = () => ['job*.log', 'app*.log']
    writeFileSync(join(here, 'job-1.log'), 'failed long ago\n')
    writeFileSync(join(here, 'app.log'), 'begun\n')
    const told = async (place?: unknown) => {
      // As a new program, which looks at once.
      const collector = eventlogCollector({ wanted, folder: here, place })
      // Clocks of files go in steps of some milliseconds.
      const { events, place: left } = await collector.collect(Date.now() - 50)
      return {
        place: JSON.parse(JSON.stringify(left)) as { files: object },
        news: events!.filter(({ old }) => !old).map(({ text }) => text),
      }
    }
    const first = await told()
    expect(first.news).toEqual([])
    writeFileSync(join(here, 'job-2.log'), 'failed just now\nfor good\n')
    // Turned over to names that are wanted, too: as another file, and as a copy.
    renameSync(join(here, 'app.log'), join(here, 'app-20261201.log'))
    copyFileSync(join(here, 'job-1.log'), join(here, 'job-1-20261201.log'))
    writeFileSync(join(here, 'app.log'), 'goes on\n')
    const second = await told(first.place)
    expect(second.news).toEqual(['goes on', 'failed just now', 'for good'])
    expect((await told(second.place)).news).toEqual([])
  })
  it('that are gone are not remembered for ever', async () => {
    const here = join(folder, 'many')
    mkdirSync(here)
    let place: unknown
    for (let round = 0; round < 4; round++) {
      for (let i = 0; i < 150; i++) writeFileSync(join(here, `run-${round}x${i}.log`), 'x\n')
      const collector = eventlogCollector({ wanted: () => ['run*'], folder: here, place })
      place = (await collector.collect(Date.now())).place
      for (let i = 0; i < 150; i++) rmSync(join(here, `run-${round}x${i}.log`))
    }
    expect(Object.keys((place as { files: object }).files)).toHaveLength(350)
  })
  it('that tell no priority are as urgent as their name or their first words say', () => {
    const level = (line: string, channel: string) => readProgramLine(line, channel, 0, 0)!.level
    expect(level('Nov 23 10:00:00 host postfix/smtp[1]: no route to host', 'mail.err')).toBe('error')
    expect(level('2026-11-23 10:00:00 0 [ERROR] InnoDB: page corrupted', 'mariadb/error.log')).toBe('error')
    expect(
      readProgramLine('2026-11-23 10:00:00 0 [ERROR] InnoDB: page corrupted', 'mariadb/error.log', 0, 5),
    ).toMatchObject({ at: 5, source: 'mariadb' })
    expect(level('2026-11-23 10:00:00.123 UTC [7] FATAL:  the database is starting up', 'postgresql/main.log')).toBe(
      'critical',
    )
    expect(level('<190>Nov 23 10:00:00 host app: error counter is 0', 'app.log')).toBe('informational')
  })
})
