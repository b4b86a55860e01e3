import { mkdtempSync, rmSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { Sender } from './sending'
import { Spool } from './spool'

let home = ''
let server: Server
let asked = 0
beforeEach(async () => {
  home = mkdtempSync(join(tmpdir(), 'custode-sending-'))
  asked = 0
  server = createServer((request, response) => {
    request.resume()
    if (request.url === '/api/agent/self') return response.end(JSON.stringify({ lastSeq: 0 }))
    asked++
    return response
      .writeHead(429, { 'content-type': 'application/problem+json', 'retry-after': '20' })
      .end(JSON.stringify({ code: 'too-many-reports', detail: 'Many report at this moment.' }))
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
})
afterEach(() => {
  vi.restoreAllMocks()
  server.closeAllConnections()
  server.close()
  rmSync(home, { recursive: true, force: true })
})

it('a server that is busy is left alone for as long as it says, and what waits is kept', async () => {
  const spool = new Spool(home)
  spool.add({ at: Date.now(), interval: 60_000, readings: [], facts: {}, events: [] } as never)
  const sender = new Sender(spool, {
    server: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    deviceId: 1,
    deviceKey: 'k',
    name: 'd',
    interval: 60_000,
  })
  await expect(sender.sendAll()).rejects.toThrow('Many report')
  await expect(sender.sendAll()).rejects.toThrow('Many report')
  expect([asked, spool.waiting().length]).toEqual([1, 1])
  const real = performance.now.bind(performance)
  vi.spyOn(performance, 'now').mockImplementation(() => real() + 21_000)
  await expect(sender.sendAll()).rejects.toThrow('Many report')
  expect(asked).toBe(2)
})
