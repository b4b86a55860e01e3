import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { gunzipSync } from 'node:zlib'
import { afterEach, expect, it } from 'vitest'
import type { AgentSettings, ChangeAnswer, ChangeRequest } from '#contract/report'
import { awaitChange, pauseAfter } from './longPoll'
import type { Identity } from '../identity/identity'

let server: Server | null = null
afterEach(() => {
  server?.closeAllConnections()
  server?.close()
})

const settings = (roster: string): AgentSettings => ({
  interval: 60_000,
  deviceName: 'd',
  clientName: 'c',
  siteName: 's',
  collect: { logs: [], collectors: [] },
  every: {},
  roster,
})

/**
 * A server that gives one answer after the other; a number refuses with that status, and after the last it keeps
 * waiting.
 */
async function serve(answers: (ChangeAnswer | number)[]): Promise<{ identity: Identity; heard: string[] }> {
  const heard: string[] = []
  server = createServer((request, response) => {
    const chunks: Buffer[] = []
    request.on('data', (chunk: Buffer) => chunks.push(chunk))
    request.on('end', () => {
      heard.push((JSON.parse(gunzipSync(Buffer.concat(chunks)).toString()) as ChangeRequest).roster)
      const answer = answers[heard.length - 1]
      if (answer === undefined) return
      response
        .writeHead(typeof answer === 'number' ? answer : 200, { 'content-type': 'application/json' })
        .end(JSON.stringify(typeof answer === 'number' ? { code: 'no', detail: 'no' } : answer))
    })
  })
  await new Promise<void>((resolve) => server!.listen(0, '127.0.0.1', resolve))
  return {
    identity: {
      server: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
      deviceId: 1,
      deviceKey: 'k',
      name: 'd',
      interval: 60_000,
    },
    heard,
  }
}
const until = async (what: () => boolean) => {
  while (!what()) await new Promise((resolve) => setTimeout(resolve, 10))
}

it('follows what it is told, says back which roster it works by, and reports at once when there is work', async () => {
  const { identity, heard } = await serve([
    { settings: settings('one'), work: false },
    { settings: settings('two'), work: true },
  ])
  const stop = new AbortController()
  let reports = 0
  const done = awaitChange(
    identity,
    (told) => {
      identity.roster = told.roster
      return Promise.resolve()
    },
    () => {
      reports++
    },
    stop.signal,
  )
  await until(() => heard.length === 3)
  expect([heard, reports]).toEqual([['', 'one', 'two'], 1])
  // The server goes on holding its answer back.
  stop.abort()
  await done
})
it('says how long it would wait, and takes an answer that comes after spaces', async () => {
  let preferred: string | undefined
  server = createServer((request, response) => {
    preferred ??= request.headers.prefer as string
    response.writeHead(200, { 'content-type': 'application/json' })
    response.write(' ')
    setTimeout(() => response.end(JSON.stringify({ settings: settings('one'), work: false })), 50)
  })
  await new Promise<void>((resolve) => server!.listen(0, '127.0.0.1', resolve))
  const stop = new AbortController()
  const told: string[] = []
  await awaitChange(
    {
      server: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
      deviceId: 1,
      deviceKey: 'k',
      name: 'd',
      interval: 60_000,
    },
    ({ roster }) => {
      told.push(roster)
      stop.abort()
      return Promise.resolve()
    },
    () => undefined,
    stop.signal,
  )
  expect([preferred, told]).toEqual(['wait=600', ['one']])
})
it('leaves a server alone that has nothing to wait at', async () => {
  const { identity, heard } = await serve([404])
  await awaitChange(
    identity,
    () => Promise.resolve(),
    () => undefined,
    new AbortController().signal,
  )
  expect(heard).toEqual([''])
})

it('agents that a server has left all at once come back one after the other, and later each time', () => {
  const randoms = Array.from({ length: 1000 }, (_, i) => i / 999)
  const first = randoms.map((random) => pauseAfter(1, random))
  expect([Math.min(...first), Math.max(...first)]).toEqual([3000, 18_000])
  // In no second more than a fifteenth of them.
  const inSecond = (second: number) => first.filter((ms) => Math.floor(ms / 1000) === second).length
  expect(Math.max(...Array.from({ length: 20 }, (_, second) => inSecond(second)))).toBeLessThan(70)
  expect([pauseAfter(3, 0.8), pauseAfter(50, 0.8)]).toEqual([60_000, 120_000])
})
