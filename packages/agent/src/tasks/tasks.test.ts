import { generateKeyPairSync, sign } from 'node:crypto'
import { mkdtempSync, renameSync, rmSync } from 'node:fs'
import { createServer as createHttp, type Server } from 'node:http'
import { createServer, type AddressInfo, type Server as SocketServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gunzipSync } from 'node:zlib'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { SignedText, SweepProgress, Task } from '#contract/report'
import type { Answering } from '#core'
import { Tasks, readTask } from './tasks'
import { sweep } from './sweep'

const ours = generateKeyPairSync('ed25519')
const theirs = generateKeyPairSync('ed25519')
const serverKey = ours.publicKey.export({ type: 'spki', format: 'der' }).toString('base64')
const now = Date.now()
const task = (more: object = {}): Task =>
  ({
    id: 5,
    deviceId: 7,
    expiresAt: now + 60_000,
    command: { kind: 'sweep', network: '127.77.0.0/30', ports: [22] },
    ...more,
  }) as Task
const signed = (body: unknown, key = ours.privateKey): SignedText => {
  const text = JSON.stringify(body)
  return { text, signature: sign(null, Buffer.from(text), key).toString('base64') }
}
const me = { serverKey, deviceId: 7 }

describe('a task', () => {
  it('of the server for this device is read', () => {
    expect(readTask(signed(task()), me, now)).toEqual(task())
  })
  it('to read everything anew is read, also where it was installed to look only', () => {
    const read = task({ command: { kind: 'read' } })
    expect(readTask(signed(read), { ...me, looksOnly: true }, now)).toEqual(read)
  })
  it.each<[string, SignedText, { serverKey?: string; deviceId: number; looksOnly?: boolean }, RegExp]>([
    ['signed by another', signed(task(), theirs.privateKey), me, /signature/],
    ['changed on the way', { ...signed(task()), text: JSON.stringify(task({ id: 6 })) }, me, /signature/],
    ['for another device', signed(task({ deviceId: 8 })), me, /another device/],
    ['that has expired', signed(task({ expiresAt: now - 2 * 3_600_000 })), me, /expired/],
    [
      'for something that is not on the list',
      signed(task({ command: { kind: 'run', command: 'rm -rf /' } })),
      me,
      /does not do/,
    ],
    [
      'to bring an agent to another machine, where it was installed to look only',
      signed(task({ command: { kind: 'deploy' } as never })),
      { ...me, looksOnly: true },
      /look only/,
    ],
    [
      'to become another version, where it was installed to look only',
      signed(task({ command: { kind: 'update', version: '9.9.9', files: {}, within: 1000 } })),
      { ...me, looksOnly: true },
      /look only/,
    ],
    [
      'to change something, on a machine where it was installed to look only',
      signed(task({ command: { kind: 'service', verb: 'start', service: 'nginx' } })),
      { ...me, looksOnly: true },
      /look only/,
    ],
    ['to a machine that knows no key of the server', signed(task()), { deviceId: 7 }, /enrol it anew/],
    ['with a signature that is none', { ...signed(task()), signature: 'AAAA' }, me, /signature/],
  ])('%s is refused', (_, command, identity, words) => {
    expect(() => readTask(command, identity, now)).toThrow(words)
  })
})

describe('a sweep', () => {
  let opened: SocketServer[] = []
  const open = (address: string, port: number, banner?: string) =>
    new Promise<void>((resolve) => {
      opened.push(
        createServer((socket) => {
          socket.on('error', () => undefined)
          if (banner) socket.write(banner)
        }).listen(port, address, resolve),
      )
    })
  afterEach(() => {
    for (const server of opened) server.close()
    opened = []
  })

  it('finds who answers at which ports, with the words of SSH; whoever is silent is passed by', async () => {
    await open('127.77.0.2', 2022)
    await open('127.77.0.2', 2080)
    await open('127.77.0.5', 22, 'SSH-2.0-Test_1 \u0007bell\r\n')
    const found: Answering[] = []
    let last = { scanned: 0, total: 0 }
    await sweep('127.77.0.0/29', [22, 2022, 2080], (progress) => {
      if (progress.found) found.push(progress.found)
      last = progress
      return Promise.resolve()
    })
    expect(last).toMatchObject({ scanned: 6, total: 6 })
    expect(found.map(({ address, ports, banner }) => [address, ports, banner]).sort()).toEqual([
      ['127.77.0.2', [2022, 2080], null],
      ['127.77.0.5', [22], 'SSH-2.0-Test_1 bell'],
    ])
  })
})

describe('carrying out', () => {
  let home: string
  let server: Server
  let heard: { path: string; progress: { sweep: SweepProgress } }[]
  const said: string[] = []
  beforeEach(async () => {
    heard = []
    said.length = 0
    home = mkdtempSync(join(tmpdir(), 'custode-tasks-'))
    server = createHttp((request, response) => {
      const chunks: Buffer[] = []
      request.on('data', (chunk: Buffer) => chunks.push(chunk))
      request.on('end', () => {
        heard.push({
          path: request.url!,
          progress: JSON.parse(gunzipSync(Buffer.concat(chunks)).toString()) as { sweep: SweepProgress },
        })
        response.writeHead(200, { 'content-type': 'application/json' }).end('{"heard":true}')
      })
    })
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  })
  afterEach(() => {
    server.close()
    rmSync(home, { recursive: true })
  })
  let anew = 0
  const started = () =>
    new Tasks(
      home,
      {
        server: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
        deviceId: 7,
        deviceKey: 'k',
        name: 'n',
        interval: 1000,
        serverKey,
      },
      (text) => void said.push(text),
      undefined,
      undefined,
      () => anew++,
    )

  it('tells how it went, and does nothing twice, also after a restart', async () => {
    const first = started()
    first.take(signed(task()))
    await vi.waitFor(
      () => expect(heard.at(-1)?.progress.sweep).toMatchObject({ state: 'done', scanned: 2, total: 2 }),
      {
        timeout: 5000,
      },
    )
    expect(heard[0]!.path).toBe('/api/agent/tasks/5')
    first.take(signed(task()))
    started().take(signed(task({ id: 4 })))
    expect(said.filter((line) => line.includes('it was here before'))).toHaveLength(2)
    // Version 0.4.0 kept the number under another name.
    renameSync(join(home, 'last-task'), join(home, 'last-order'))
    started().take(signed(task()))
    expect(said.filter((line) => line.includes('it was here before'))).toHaveLength(3)
  })
  it('reads everything anew when it is asked to, once, and tells nothing but the report', () => {
    const read = signed(task({ id: 9, command: { kind: 'read' } }))
    const tasks = started()
    tasks.take(read)
    tasks.take(read)
    expect([anew, heard]).toEqual([1, []])
    expect(said.filter((line) => line.includes('it was here before'))).toHaveLength(1)
  })
  it('says in its own log what it refused, and tells nobody', () => {
    started().take(signed(task(), theirs.privateKey))
    expect(said).toEqual(['a task was refused: its signature is not the server’s'])
    expect(heard).toEqual([])
  })
})
