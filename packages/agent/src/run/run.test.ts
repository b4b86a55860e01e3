import { mkdirSync, mkdtempSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gunzipSync } from 'node:zlib'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { Report, ReportBatch } from '#contract/report'
import { day, hour } from '#core'
import { check } from '../install/check'
import { identityFile, writeIdentity } from '../identity/identity'
import { factSchemas } from '#contract'
import { boundFacts } from '../collectors/bounds'
import { inBackground, observe, Observer } from './observe'
import { Sender } from './sending'
import { Spool } from './spool'
import { Told } from './told'

let home: string
let server: Server
let received: number[][]
/** What the server says it has seen. */
let seen: number
let answer: (batch: ReportBatch) => [number, unknown]
const identity = () => ({
  server: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
  deviceId: 1,
  deviceKey: 'cdk.1.x',
  name: 'tm-x',
  interval: 60_000,
})
const report = (at = Date.now()): Omit<Report, 'seq'> => ({ at, interval: 60_000, readings: [] })
const accept = (batch: ReportBatch): [number, unknown] => [
  200,
  { acknowledged: batch.reports.at(-1)!.seq, refused: [], clockOffset: 0, settings: { interval: 60_000 } },
]

beforeEach(async () => {
  home = mkdtempSync(join(tmpdir(), 'custode-agent-'))
  received = []
  seen = 0
  answer = accept
  server = createServer((request, response) => {
    const chunks: Buffer[] = []
    request.on('data', (chunk: Buffer) => chunks.push(chunk))
    request.on('end', () => {
      if (request.method === 'GET')
        return void response
          .writeHead(200, { 'content-type': 'application/json' })
          .end(JSON.stringify({ lastSeq: seen, refusedCount: 0, refused: [] }))
      const batch = JSON.parse(gunzipSync(Buffer.concat(chunks)).toString()) as ReportBatch
      received.push(batch.reports.map((sent) => sent.seq))
      const [status, body] = answer(batch)
      response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body))
    })
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
})
afterEach(() => {
  server.close()
  rmSync(home, { recursive: true })
})

// Each report is flushed to disk, which others may be using.
describe('the spool', { timeout: 90_000 }, () => {
  it('keeps numbering after a restart, also when everything was sent', () => {
    const spool = new Spool(home)
    spool.add(report())
    spool.add(report())
    spool.drop(2)
    expect(new Spool(home).add(report()).seq).toBe(3)
  })
  it('keeps what could not be sent and catches up in order', async () => {
    const spool = new Spool(home)
    for (let i = 0; i < 70; i++) spool.add(report())
    answer = () => [503, { code: 'busy', detail: 'later' }]
    await expect(new Sender(spool, identity()).sendAll()).rejects.toThrow('later')
    expect(spool.waiting()).toHaveLength(70)
    answer = accept
    received = []
    await new Sender(spool, identity()).sendAll()
    expect(received.flat()).toEqual(Array.from({ length: 70 }, (_, i) => i + 1))
    expect(spool.waiting()).toEqual([])
  })
  it('drops only what is acknowledged', async () => {
    const spool = new Spool(home)
    for (let i = 0; i < 3; i++) spool.add(report())
    let first = true
    answer = (batch) => {
      const [status, body] = accept(batch)
      if (first) Object.assign(body as object, { acknowledged: 1 })
      first = false
      return [status, body]
    }
    await new Sender(spool, identity()).sendAll()
    expect(received).toEqual([
      [1, 2, 3],
      [2, 3],
    ])
  })
  it('puts the one report aside that the server cannot take, and goes on', async () => {
    const spool = new Spool(home)
    for (let i = 0; i < 3; i++) spool.add(report())
    answer = (batch) =>
      batch.reports.some((sent) => sent.seq === 2) ? [400, { code: 'invalid', detail: 'no' }] : accept(batch)
    await new Sender(spool, identity()).sendAll()
    expect(spool.waiting()).toEqual([])
    expect(received.at(-1)).toEqual([3])
  })
  it('goes on when somebody between refuses in words of its own: a page of a proxy is no JSON', async () => {
    const spool = new Spool(home)
    for (let i = 0; i < 3; i++) spool.add(report())
    answer = (batch) => (batch.reports.length > 1 ? [413, '<html>too large</html>'] : accept(batch))
    const sender = new Sender(spool, identity())
    await sender.sendAll()
    expect([sender.takeRefusals(), spool.waiting(), spool.refused()]).toEqual([true, [], []])
  })
  it('splits by size, too: reports of 400 long entries go one by one, in batches of a megabyte', async () => {
    const spool = new Spool(home)
    const events = Array.from({ length: 400 }, (_, i) => ({
      at: i,
      channel: 'syslog',
      source: 'x',
      id: null,
      level: 'error' as const,
      text: 'y'.repeat(2000),
    }))
    for (let i = 0; i < 6; i++) spool.add({ ...report(), events })
    await new Sender(spool, identity()).sendAll()
    expect(received.flat()).toHaveLength(6)
    expect(Math.max(...received.map((reports) => reports.length))).toBe(1)
  })
  it('passes by the one report that the server fails at again and again, when the next is taken; and none while it fails at all', async () => {
    const spool = new Spool(home)
    for (let i = 0; i < 4; i++) spool.add(report())
    const sender = new Sender(spool, identity())
    answer = () => [500, { code: 'internal', detail: 'oh' }]
    for (let i = 0; i < 5; i++) await expect(sender.sendAll()).rejects.toThrow('oh')
    expect(spool.waiting()).toEqual([1, 2, 3, 4])
    answer = (batch) =>
      batch.reports.some((sent) => sent.seq === 1) ? [500, { code: 'internal', detail: 'oh' }] : accept(batch)
    await sender.sendAll()
    expect([sender.takeRefusals(), sender.takeRefusals()]).toEqual([true, false])
    expect([spool.waiting(), spool.refused()]).toEqual([[], [1]])
  })
  it('does not tell everything again for a part that is refused each time', async () => {
    const spool = new Spool(home)
    const refusing = async (pointer: string) => {
      spool.add(report())
      answer = (batch) => [
        200,
        { ...(accept(batch)[1] as object), refused: [{ seq: 1, pointer, code: 'x', detail: 'y' }] },
      ]
      const sender = new Sender(spool, identity())
      await sender.sendAll()
      return sender.takeRefusals()
    }
    expect([await refusing('/reports/0/readings/3'), await refusing('/reports/0')]).toEqual([false, true])
  })
  it('waits, and puts nothing aside, while its key is refused, the server is busy, or its identity is shared', async () => {
    const spool = new Spool(home)
    spool.add(report())
    for (const [status, code] of [
      [401, 'device-key-refused'],
      [503, 'busy'],
      [429, 'too-many'],
      [409, 'identity-shared'],
    ] as const) {
      answer = () => [status, { code, detail: code }]
      await expect(new Sender(spool, identity()).sendAll()).rejects.toThrow(code)
    }
    expect([spool.waiting(), spool.refused()]).toEqual([[1], []])
  })
  it('set back, it counts on from where the server is; what this run has made is told under new numbers', async () => {
    const old = new Spool(home)
    old.add(report())
    old.add(report())
    const spool = new Spool(home)
    spool.add({ ...report(), roster: 'made since' })
    seen = 40
    await new Sender(spool, identity()).sendAll()
    expect([received, new Spool(home).last]).toEqual([[[41]], 41])
  })
  it('told that another machine has used its numbers, it tells all that waits under new ones', async () => {
    const spool = new Spool(home)
    spool.add({ ...report(), roster: 'a' })
    spool.add({ ...report(), roster: 'b' })
    let isFirst = true
    answer = (batch) => {
      if (!isFirst) return accept(batch)
      isFirst = false
      seen = 2
      return [409, { code: 'counted-by-another', detail: 'no' }]
    }
    const sender = new Sender(spool, identity())
    await sender.sendAll()
    expect([sender.takeRefusals(), received, spool.waiting(), spool.refused()]).toEqual([
      true,
      [
        [1, 2],
        [3, 4],
      ],
      [],
      [],
    ])
  })
  it('knows of what was refused, also when the server went away before the rest was taken', async () => {
    const spool = new Spool(home)
    spool.add(report())
    let turn = 0
    answer = () =>
      turn++ === 0 ? [409, { code: 'counted-by-another', detail: 'no' }] : [503, { code: 'busy', detail: 'busy' }]
    const sender = new Sender(spool, identity())
    await expect(sender.sendAll()).rejects.toThrow('busy')
    expect(sender.takeRefusals()).toBe(true)
  })
  it('keeps in memory what it cannot write, sends it, and goes on writing', async () => {
    const spool = new Spool(home)
    rmSync(join(home, 'spool'), { recursive: true })
    writeFileSync(join(home, 'spool'), 'no folder')
    expect(spool.add(report())).toEqual({ seq: 1, saved: false })
    await new Sender(spool, identity()).sendAll()
    rmSync(join(home, 'spool'))
    mkdirSync(join(home, 'spool'))
    expect([received, spool.add(report())]).toEqual([[[1]], { seq: 2, saved: true }])
  })
  it('keeps how far logs were read with the report that tells of it', () => {
    new Spool(home).add(report(), { eventlog: 'as far as a' })
    // The program ended between the two: the report is written, and the file of places is of before.
    writeFileSync(join(home, 'places.json'), '{"seq":0,"places":{"eventlog":"nowhere"}}')
    expect(new Spool(home).places).toEqual({ eventlog: 'as far as a' })
    for (const rubbish of ['', '{"pla', '[]', 'null']) {
      writeFileSync(join(home, 'places.json'), rubbish)
      expect(new Spool(home).places).toEqual({ eventlog: 'as far as a' })
    }
  })
  it('gives up the oldest when what waits grows too large, and says how many', () => {
    const spool = new Spool(home, 100_000)
    const big = {
      ...report(),
      events: [{ at: 0, channel: 's', source: 's', id: null, level: 'error' as const, text: 'z'.repeat(4000) }],
    }
    for (let i = 0; i < 45; i++) spool.add(big)
    const lost = spool.takeLost()
    expect(lost).toBeGreaterThan(0)
    expect(spool.waiting()[0]).toBe(lost + 1)
  })
  it('survives a file that a power cut left half written', async () => {
    const spool = new Spool(home)
    spool.add(report())
    writeFileSync(join(home, 'spool', '1.json'), '{"seq":1,')
    spool.add(report())
    await new Sender(spool, identity()).sendAll()
    expect(received).toEqual([[2]])
  })
  it('gives up what has waited for longer than 48 hours', () => {
    const spool = new Spool(home)
    const now = Date.now()
    spool.add(report(now - 49 * hour))
    spool.add(report(now - 47 * hour))
    expect(spool.giveUpOld(now)).toBe(1)
    expect(spool.waiting()).toEqual([2])
  })
  it('and not because the clock was set forward by a month', () => {
    const spool = new Spool(home)
    const now = Date.now()
    spool.add({ ...report(now - 31 * day), up: 1000, boot: 'this' })
    spool.add({ ...report(now - 31 * day), up: 1000, boot: 'the one before' })
    expect(spool.giveUpOld(now, { up: hour, boot: 'this' })).toBe(0)
    spool.drop(1)
    expect(spool.giveUpOld(now, { up: hour, boot: 'this' })).toBe(1)
  })
})

describe('collecting', () => {
  it('does not wait for one that hangs: the others are told, and its failure when its time is over', async () => {
    let now = 0
    vi.spyOn(performance, 'now').mockImplementation(() => now)
    const observer = new Observer()
    const hangs = { name: 'services' as const, collect: vi.fn(() => new Promise<never>(() => undefined)) }
    const quick = { name: 'performance' as const, collect: () => ({ readings: [['cpu.busy', '', 0.5] as const] }) }
    const first = await observer.observe([hangs, quick], 0, 20)
    expect([first.readings.length, first.busy, first.failed]).toEqual([1, ['services'], []])
    now = 46_000
    const later = await observer.observe([hangs], 0, 20)
    expect(later.failed).toEqual([{ collector: 'services', reason: 'it did not end within 45 s' }])
    expect(hangs.collect).toHaveBeenCalledTimes(1)
    vi.restoreAllMocks()
  })
  it('tells what took long with the next report, and a failure until it is over, whoever’s turn it is', async () => {
    const observer = new Observer()
    let end: (part: object) => void = () => undefined
    const slow = {
      name: 'disks' as const,
      collect: () =>
        new Promise<object>((resolve) => {
          end = resolve
        }),
    }
    expect((await observer.observe([slow], 0, 20)).busy).toEqual(['disks'])
    end({ facts: { disks: [] } })
    expect((await observer.observe([], 0, 20)).facts.disks).toEqual([])
    const fails = {
      name: 'network' as const,
      collect: () => {
        throw new Error('gone')
      },
    }
    await observer.observe([fails], 0, 20)
    expect((await observer.observe([], 0, 20)).failed).toEqual([{ collector: 'network', reason: 'gone' }])
  })
  it('cuts what is longer than a server takes, and leaves out names that would be others when cut', () => {
    const bounded = boundFacts({
      services: [
        { name: 'a', title: 'x'.repeat(900), start: 'manual', state: 'running' },
        { name: 'b'.repeat(300), title: '', start: 'manual', state: 'running' },
      ],
      packages: Array.from({ length: 30_000 }, (_, i) => `p${i}`),
    })
    expect([bounded.services!.length, bounded.services![0]!.title.length, bounded.packages!.length]).toEqual([
      1, 300, 20_000,
    ])
    for (const [subject, value] of Object.entries(bounded))
      expect(factSchemas[subject as 'services'].validate(value).error).toBeUndefined()
  })
  it('goes on when one collector fails, and names it with its reason', async () => {
    const seen = await observe(
      [
        {
          name: 'disks',
          collect: () => {
            throw new Error('the disk is on fire')
          },
        },
        { name: 'performance', collect: () => ({ readings: [['cpu.busy', '', 0.5]] }) },
      ],
      Date.now(),
    )
    expect(seen.failed).toEqual([{ collector: 'disks', reason: 'the disk is on fire' }])
    expect(seen.readings).toEqual([['cpu.busy', '', 0.5]])
  })
  it('does not wait for what takes long, and has it in a later report', async () => {
    let finish: (facts: object) => void = () => undefined
    const slow = inBackground({
      name: 'updates',
      collect: () =>
        new Promise((resolve) => {
          finish = (facts) => resolve({ facts })
        }),
    })
    expect((await observe([slow], 1)).facts.ports).toBeUndefined()
    expect((await observe([slow], 2)).failed).toEqual([])
    finish({ ports: [{ port: 22, protocol: 'tcp' }] })
    await vi.waitFor(async () => expect((await observe([slow], 3)).facts.ports).toHaveLength(1), { timeout: 20_000 })
  })
  it('tells why what takes long could not be had', async () => {
    const broken = inBackground({ name: 'updates', collect: () => Promise.reject(new Error('another apt is at work')) })
    await vi.waitFor(
      async () =>
        expect((await observe([broken], 1)).failed).toEqual([
          { collector: 'updates', reason: 'another apt is at work' },
        ]),
      { timeout: 20_000 },
    )
  })
})

describe('facts', () => {
  const payload = { disks: [] }
  const two = { disks: [{ mount: '/', device: '', fileSystem: '', removable: false, size: 1 }] }
  it('are told when they change, and count as told only when they are acknowledged', () => {
    const told = new Told()
    expect(told.changed(payload, 0)).toEqual(payload)
    told.send(1, payload)
    expect(told.changed(payload, 1)).toEqual({})
    expect(told.changed(two, 2)).toEqual(two)
    told.send(2, two)
    told.acknowledged(1)
    expect(told.changed(two, 3)).toEqual({})
    expect(told.changed(payload, 4)).toEqual(payload)
  })
  it('are all told again after a refusal or a loss, and once a day in any case', () => {
    const told = new Told()
    told.send(1, told.changed(payload, 0))
    told.acknowledged(1)
    told.forget()
    expect(told.changed(payload, 1)).toEqual(payload)
    told.send(2, payload)
    told.acknowledged(2)
    expect([told.changed(payload, 23 * hour), told.changed(payload, 24 * hour)]).toEqual([{}, payload])
  })
})

describe('check', () => {
  it('says what is missing and what to do', async () => {
    expect(await check(home)).toEqual([
      { good: false, text: expect.stringContaining('custode-agent enroll') as string },
    ])
  })
  it('sees a key that others can read, and a server that is not there', { timeout: 180_000 }, async () => {
    writeIdentity(home, { ...identity(), server: 'http://127.0.0.1:9' })
    expect(statSync(identityFile(home)).mode & 0o777).toBe(0o600)
    const findings = await check(home)
    expect(findings[0]).toEqual({ good: true, text: 'the device key is readable by its owner only' })
    expect(findings[1]).toEqual({ good: false, text: expect.stringContaining('nothing listens there') as string })
  })
})
