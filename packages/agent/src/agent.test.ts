import { mkdtempSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gunzipSync } from 'node:zlib'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { Report, ReportBatch } from '#contract/report'
import { hour } from '#core'
import { check } from './check'
import { identityFile, writeIdentity } from './identity'
import { inBackground, observe, onlyChanged, sendAll } from './run'
import { Spool } from './spool'

let home: string
let server: Server
let received: number[][]
let answer: (batch: ReportBatch) => [number, unknown]
const identity = () => ({ server: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, deviceId: 1, deviceKey: 'cdk.1.x', name: 'tm-x', interval: 60_000 })
const report = (at = Date.now()): Omit<Report, 'seq'> => ({ at, interval: 60_000, readings: [] })
const accept = (batch: ReportBatch): [number, unknown] => [200, { acknowledged: batch.reports.at(-1)!.seq, refused: [], clockOffset: 0, settings: { interval: 60_000 } }]

beforeEach(async () => {
  home = mkdtempSync(join(tmpdir(), 'custode-agent-'))
  received = []
  answer = accept
  server = createServer((request, response) => {
    const chunks: Buffer[] = []
    request.on('data', (chunk: Buffer) => chunks.push(chunk))
    request.on('end', () => {
      const batch = JSON.parse(gunzipSync(Buffer.concat(chunks)).toString()) as ReportBatch
      received.push(batch.reports.map((one) => one.seq))
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

describe('the spool', () => {
  it('keeps numbering after a restart, also when everything was sent', () => {
    const spool = new Spool(home)
    spool.add(report())
    spool.add(report())
    spool.drop(2)
    expect(new Spool(home).add(report())).toBe(3)
  })
  it('keeps what could not be sent and catches up in order', async () => {
    const spool = new Spool(home)
    for (let i = 0; i < 70; i++) spool.add(report())
    answer = () => [503, { code: 'busy', detail: 'later' }]
    await expect(sendAll(spool, identity())).rejects.toThrow('later')
    expect(spool.waiting()).toHaveLength(70)
    answer = accept
    received = []
    await sendAll(spool, identity())
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
    await sendAll(spool, identity())
    expect(received).toEqual([[1, 2, 3], [2, 3]])
  })
  it('puts the one report aside that the server cannot take, and goes on', async () => {
    const spool = new Spool(home)
    for (let i = 0; i < 3; i++) spool.add(report())
    answer = (batch) => (batch.reports.some((one) => one.seq === 2) ? [400, { code: 'invalid', detail: 'no' }] : accept(batch))
    await sendAll(spool, identity())
    expect(spool.waiting()).toEqual([])
    expect(received.at(-1)).toEqual([3])
  })
  it('survives a file that a power cut left half written', async () => {
    const spool = new Spool(home)
    spool.add(report())
    writeFileSync(join(home, 'spool', '1.json'), '{"seq":1,')
    spool.add(report())
    await sendAll(spool, identity())
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
})

describe('collecting', () => {
  it('goes on when one collector fails, and names it with its reason', async () => {
    const seen = await observe([
      { name: 'disks', collect: () => { throw new Error('the disk is on fire') } },
      { name: 'performance', collect: () => ({ readings: [['cpu.busy', '', 0.5]] }) },
    ], Date.now())
    expect(seen.failed).toEqual([{ collector: 'disks', reason: 'the disk is on fire' }])
    expect(seen.readings).toEqual([['cpu.busy', '', 0.5]])
  })
  it('does not wait for what takes long, and has it in a later report', async () => {
    let finish: (facts: object) => void = () => undefined
    const slow = inBackground({ name: 'updates', collect: () => new Promise((resolve) => { finish = (facts) => resolve({ facts }) }) })
    expect((await observe([slow], 1)).facts.updates).toBeUndefined()
    expect((await observe([slow], 2)).failed).toEqual([])
    finish({ updates: { security: 3 } })
    await vi.waitFor(async () => expect((await observe([slow], 3)).facts.updates).toEqual({ security: 3 }))
  })
  it('tells why what takes long could not be had', async () => {
    const broken = inBackground({ name: 'updates', collect: () => Promise.reject(new Error('another apt is at work')) })
    await vi.waitFor(async () => expect((await observe([broken], 1)).failed).toEqual([{ collector: 'updates', reason: 'another apt is at work' }]))
  })
  it('tells facts only when they change', () => {
    const told = new Map()
    expect(onlyChanged({ disks: [] }, told)).toEqual({ disks: [] })
    expect(onlyChanged({ disks: [] }, told)).toEqual({})
  })
})

describe('check', () => {
  it('says what is missing and what to do', async () => {
    expect(await check(home)).toEqual([{ good: false, text: expect.stringContaining('custode-agent enroll') as string }])
  })
  it('sees a key that others can read, and a server that is not there', { timeout: 60_000 }, async () => {
    writeIdentity(home, { ...identity(), server: 'http://127.0.0.1:9' })
    expect(statSync(identityFile(home)).mode & 0o777).toBe(0o600)
    const findings = await check(home)
    expect(findings[0]).toEqual({ good: true, text: 'the device key is readable by its owner only' })
    expect(findings[1]).toEqual({ good: false, text: expect.stringContaining('nothing listens there') as string })
  })
})
