import { spawn, spawnSync } from 'node:child_process'
import { createHash, generateKeyPairSync } from 'node:crypto'
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { ReleaseStatement, SignedText, UpdateCommand } from '#contract/report'
import { ReleaseTrust } from './release'
import { keyStatement, releaseKeyOf, signedBy } from './release/testing'
import { filesOf, starterText } from './starter'
import { prepareUpdate, Proof } from './update'
import { agentVersion, releaseFloor } from '../version'

/** Versions after this program's own, whichever that is. */
const major = Number(agentVersion.split('.')[0])
const newer = `${major + 1}.0.0`
const another = `${major + 1}.0.1`

let folder: string
let home: string
let starter: string
let server: Server
let offered: Buffer
let statement: SignedText
let changes: SignedText[]
let told: unknown[]
const url = () => `http://127.0.0.1:${(server.address() as AddressInfo).port}`
/** A program that says in a file that it was started, and with what. */
function program(path: string, name: string, then = ''): void {
  mkdirSync(join(path, '..'), { recursive: true })
  writeFileSync(path, `#!/bin/sh\necho "${name} $*" >> ${folder}/started\n${then}\n`)
  chmodSync(path, 0o755)
}
const started = () =>
  existsSync(join(folder, 'started'))
    ? readFileSync(join(folder, 'started'), 'utf8')
        .trim()
        .split('\n')
        .map((line) => line.split(' ')[0])
    : []
const start = () => spawnSync('sh', [starter, home, '--no-refresh'], { encoding: 'utf8' })
const trial = (version: string, seconds: number, starts = 0) =>
  writeFileSync(filesOf(home).trial, `${version} ${Math.ceil(Date.now() / 1000) + seconds} ${starts} 7\n`)

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'custode-update-'))
  home = join(folder, 'home')
  starter = join(folder, 'start')
  mkdirSync(home)
  writeFileSync(starter, starterText)
  program(join(folder, 'custode-agent'), 'installed')
  told = []
  changes = []
  server = createServer((request, response) => {
    const said = { statement, 'release-keys': changes }[request.url!.split('/').pop()!]
    if (said) return void response.setHeader('content-type', 'application/json').end(JSON.stringify(said))
    if (request.method === 'GET') return void response.end(offered)
    const chunks: Buffer[] = []
    request
      .on('data', (chunk: Buffer) => chunks.push(chunk))
      .on('end', () => {
        told.push(request.url)
        response.setHeader('content-type', 'application/json').end('{"heard":true}')
      })
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  process.env.CUSTODE_AGENT_STARTER = '1'
})
afterEach(() => {
  delete process.env.CUSTODE_AGENT_STARTER
  server.close()
  rmSync(folder, { recursive: true, force: true })
})

describe('the starter', () => {
  it('is good shell, by sh -n', () => {
    expect(spawnSync('sh', ['-n', starter]).status).toBe(0)
  })
  it('runs what was installed, with its home and options', () => {
    start()
    expect(readFileSync(join(folder, 'started'), 'utf8')).toBe(`installed run --home ${home} --no-refresh\n`)
  })
  it('runs the version that was adopted, and the installed one when that is not there', () => {
    writeFileSync(filesOf(home).adopted, '0.9.0')
    start()
    program(filesOf(home).programOf('0.9.0'), 'adopted')
    start()
    expect(started()).toEqual(['installed', 'adopted'])
  })
  it('gives up a version that ended three times without proof, and keeps its number for the server', () => {
    program(filesOf(home).programOf('0.9.0'), 'trial', 'exit 1')
    trial('0.9.0', 60)
    for (let i = 0; i < 5; i++) start()
    expect(started()).toEqual(['trial', 'trial', 'trial', 'installed', 'installed'])
    expect(readFileSync(filesOf(home).wentBack, 'utf8')).toMatch(/^0\.9\.0 \d+ 3 7\n$/)
  })
  it('goes back to the adopted version and not to the installed one', () => {
    program(filesOf(home).programOf('0.8.0'), 'adopted')
    writeFileSync(filesOf(home).adopted, '0.8.0')
    program(filesOf(home).programOf('0.9.0'), 'trial')
    trial('0.9.0', -1)
    start()
    expect(started()).toEqual(['adopted'])
  })
  it.each([
    ['the installed program', 'installed', 'installed'],
    ['the version before', '0.7.0', 'before'],
  ])(
    'gives up a version that had proved itself and then comes down again and again: %s runs, and the server will hear of it',
    (_what, previous, name) => {
      program(filesOf(home).programOf('0.7.0'), 'before')
      program(filesOf(home).programOf('0.8.0'), 'adopted', 'exit 1')
      writeFileSync(filesOf(home).adopted, '0.8.0')
      writeFileSync(filesOf(home).previous, `${previous} 7\n`)
      for (let i = 0; i < 10; i++) start()
      expect(started()).toEqual([...Array<string>(8).fill('adopted'), name, name])
      expect(readFileSync(filesOf(home).wentBack, 'utf8')).toBe('0.8.0 0 0 7\n')
    },
  )
  it('counts no starts of one that stayed up, and has nothing to go back to but what is there', () => {
    program(filesOf(home).programOf('0.8.0'), 'adopted')
    writeFileSync(filesOf(home).adopted, '0.8.0')
    for (let i = 0; i < 10; i++) start()
    writeFileSync(filesOf(home).previous, 'installed 7\n')
    writeFileSync(filesOf(home).starts, 'rubbish')
    for (let i = 0; i < 12; i++) {
      if (i % 5 === 0) rmSync(filesOf(home).starts)
      start()
    }
    expect(new Set(started())).toEqual(new Set(['adopted']))
  })
  it('ends a version that runs and never reports when its time is over', async () => {
    program(filesOf(home).programOf('0.9.0'), 'trial', 'exec sleep 60')
    trial('0.9.0', 1)
    const child = spawn('sh', [starter, home], { stdio: 'ignore' })
    const signal = await new Promise((resolve) => child.on('exit', (_, by) => resolve(by)))
    expect(signal).toBe('SIGKILL')
    start()
    expect(started()).toEqual(['trial', 'installed'])
  })
  it('leaves a version alone that has proved itself meanwhile', async () => {
    program(filesOf(home).programOf('0.9.0'), 'trial', 'exec sleep 3')
    trial('0.9.0', 1)
    const child = spawn('sh', [starter, home], { stdio: 'ignore' })
    await expect.poll(started).toEqual(['trial'])
    rmSync(filesOf(home).trial)
    expect(await new Promise((resolve) => child.on('exit', (code) => resolve(code)))).toBe(0)
  })
})

describe('an update', () => {
  const says = (text: string) => Buffer.from(`#!/bin/sh\necho '${text}'\n`)
  const keys = generateKeyPairSync('ed25519')
  const command = (more: Partial<UpdateCommand> = {}): UpdateCommand => ({
    kind: 'update',
    version: newer,
    within: 60_000,
    ...more,
  })
  /** What the server offers, and what is said of it. */
  function offer(program: Buffer, more: Partial<ReleaseStatement> = {}, by = keys): void {
    offered = gzipSync(program)
    const sha256 = createHash('sha256').update(offered).digest('hex')
    statement = signedBy(by, {
      says: 'release',
      program: 'custode-agent',
      version: newer,
      platform: `linux-${process.arch}`,
      sha256,
      floor: '0.0.0',
      ...more,
    })
  }
  const prepare = (prepared: UpdateCommand) =>
    prepareUpdate(home, { server: url() }, 7, prepared, () => undefined, new ReleaseTrust(home, releaseKeyOf(keys, 1)))
  const untouched = () =>
    expect([existsSync(filesOf(home).trial), existsSync(filesOf(home).programOf(newer))]).toEqual([false, false])

  it('is fetched, verified, tried and put on trial', async () => {
    offer(says(`custode-agent ${newer}`))
    await prepare(command())
    expect(readFileSync(filesOf(home).trial, 'utf8')).toMatch(new RegExp(`^${newer} \\d+ 0 7\\n$`))
    expect(spawnSync(filesOf(home).programOf(newer), { encoding: 'utf8' }).stdout).toBe(`custode-agent ${newer}\n`)
  })
  const good = says(`custode-agent ${newer}`)
  it.each<[string, () => void, UpdateCommand, string]>([
    ['is not what was signed', () => offer(good, { sha256: '0'.repeat(64) }), command(), 'its digest is another'],
    [
      'another than the holder of the release key has signed',
      () => offer(good, {}, generateKeyPairSync('ed25519')),
      command(),
      'its signature is not that of the release key',
    ],
    ['is for another machine', () => offer(good, { platform: 'linux-riscv' }), command(), 'it is for linux-riscv'],
    [
      'is another program',
      () => offer(good, { program: 'collector/certificates' }),
      command(),
      'it is “collector/certificates”',
    ],
    [
      'is signed as another version',
      () => offer(good),
      command({ version: another }),
      `it is version ${newer}, not ${another}`,
    ],
    [
      'says that it is another version',
      () => offer(good, { version: another }),
      command({ version: another }),
      `the program says that it is “custode-agent ${newer}”`,
    ],
    [
      'is older than this program goes back',
      () => offer(good, { version: '0.3.0' }),
      command({ version: '0.3.0' }),
      `version 0.3.0 is older than ${releaseFloor}`,
    ],
    ['would lead out of its folder', () => offer(good), command({ version: '../../etc' }), 'is no version'],
    [
      'is signed by nobody',
      () => {
        offer(good)
        statement = { text: statement.text, signature: '' }
      },
      command(),
      'its signature is not',
    ],
    [
      'has a signature that is none',
      () => {
        offer(good)
        statement = {} as SignedText
      },
      command(),
      'its signature is not',
    ],
  ])('that %s is refused, and nothing is touched', async (_, make, change, reason) => {
    make()
    await expect(prepare(change)).rejects.toThrow(reason)
    untouched()
  })
  it('signed with a later key is taken when the key before has signed that change, and the key before is then taken no more', async () => {
    const later = generateKeyPairSync('ed25519')
    offer(good, {}, later)
    changes = [keyStatement(generateKeyPairSync('ed25519'), later, 2)]
    await expect(prepare(command())).rejects.toThrow('its signature is not')
    changes = [keyStatement(keys, later, 2)]
    expect(await prepare(command())).toBe(true)
    rmSync(filesOf(home).trial)
    offer(good)
    await expect(prepare(command())).rejects.toThrow('its signature is not')
  })
  it('to the version that runs changes nothing, and is no failure', async () => {
    program(filesOf(home).programOf(agentVersion), 'running')
    writeFileSync(filesOf(home).adopted, agentVersion)
    expect(await prepare(command({ version: agentVersion }))).toBe(false)
    expect([existsSync(filesOf(home).programOf(agentVersion)), existsSync(filesOf(home).trial)]).toEqual([true, false])
  })
  it('that fails takes nothing away that is there', async () => {
    program(filesOf(home).programOf(newer), 'from before')
    offer(says('something-else'))
    await expect(prepare(command())).rejects.toThrow('the program says')
    expect(readFileSync(filesOf(home).programOf(newer), 'utf8')).toContain('from before')
  })
  it('is refused where nothing would go back', async () => {
    offer(good)
    delete process.env.CUSTODE_AGENT_STARTER
    await expect(prepare(command())).rejects.toThrow('was not started by its starter')
  })
  it('is adopted with the first report that was taken, what ran before is kept, older programs go, and the server is told once', async () => {
    program(filesOf(home).programOf(agentVersion), 'new')
    program(filesOf(home).programOf('0.0.1'), 'before')
    program(filesOf(home).programOf('0.0.0'), 'old')
    writeFileSync(filesOf(home).adopted, '0.0.1\n')
    trial(agentVersion, 60, 1)
    const proof = new Proof(
      home,
      { server: url(), deviceKey: 'k', deviceId: 1, name: 'n', interval: 1 },
      () => undefined,
      new ReleaseTrust(home, releaseKeyOf(keys, 1)),
    )
    await proof.reported()
    await proof.reported()
    // From now on the program before goes back no further than this one, which it does not have built in.
    expect(JSON.parse(readFileSync(filesOf(home).trust, 'utf8'))).toMatchObject({
      floors: { 'custode-agent': releaseFloor },
    })
    expect([
      readFileSync(filesOf(home).adopted, 'utf8'),
      existsSync(filesOf(home).trial),
      existsSync(filesOf(home).programOf('0.0.0')),
      told,
    ]).toEqual([agentVersion, false, false, ['/api/agent/tasks/7']])
    expect([readFileSync(filesOf(home).previous, 'utf8'), existsSync(filesOf(home).programOf('0.0.1'))]).toEqual([
      '0.0.1 7\n',
      true,
    ])
  })
  it('that has stayed up for a while no longer counts its starts', async () => {
    vi.useFakeTimers({ toFake: ['performance'] })
    try {
      writeFileSync(filesOf(home).starts, '7\n')
      const proof = new Proof(
        home,
        { server: url(), deviceKey: 'k', deviceId: 1, name: 'n', interval: 1 },
        () => undefined,
      )
      vi.advanceTimersByTime(9 * 60_000)
      await proof.reported()
      expect(existsSync(filesOf(home).starts)).toBe(true)
      vi.advanceTimersByTime(2 * 60_000)
      await proof.reported()
      expect(existsSync(filesOf(home).starts)).toBe(false)
    } finally {
      vi.useRealTimers()
    }
  })
  it('that was given up is told of by the one before', async () => {
    program(filesOf(home).programOf(newer), 'trial')
    writeFileSync(filesOf(home).wentBack, `${newer} 1 3 9\n`)
    await new Proof(
      home,
      { server: url(), deviceKey: 'k', deviceId: 1, name: 'n', interval: 1 },
      () => undefined,
    ).reported()
    expect([told, existsSync(filesOf(home).wentBack), existsSync(filesOf(home).programOf(newer))]).toEqual([
      ['/api/agent/tasks/9'],
      false,
      false,
    ])
  })
})
