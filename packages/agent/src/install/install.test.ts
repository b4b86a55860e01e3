import { execFileSync, spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import { createServer as createSocket, type AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { distinctPorts, parseSockets, softwareCollector } from '../collectors/linux/software'
import { readIdentity, writeIdentity } from '../identity/identity'
import { install, uninstall } from './install'
import { rangeWith, readRange } from './pinging'
import { placeAt } from './place'
import { Spool } from '../run'
import { unitText } from './unit'
import type { Way } from '../uplink'

let root: string
let server: Server
let answer: [number, object]
const url = () => `http://127.0.0.1:${(server.address() as AddressInfo).port}`
const said: string[] = []
const say = (text: string) => void said.push(text)
const tree = () => readdirSync(root, { recursive: true }).map(String).sort()

beforeEach(async () => {
  said.length = 0
  root = mkdtempSync(join(tmpdir(), 'custode-install-'))
  answer = [
    200,
    {
      deviceId: 7,
      deviceKey: 'cdk.7.secret',
      firstSeq: 41,
      clockOffset: 0,
      settings: { interval: 60_000, deviceName: 'tm-x', clientName: 'Tidemill Ferries', siteName: 'Harbour' },
    },
  ]
  server = createServer((_, response) =>
    response.writeHead(answer[0], { 'content-type': 'application/json' }).end(JSON.stringify(answer[1])),
  )
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
})
afterEach(() => {
  server.close()
  rmSync(root, { recursive: true, force: true })
})

describe('installing', () => {
  const go = () => install({ way: { server: url() }, key: 'k', name: 'tm-x', root }, say, false)

  it('puts the program in place, enrols, and keeps the key to its owner', async () => {
    await go()
    const place = placeAt(root)
    expect(statSync(place.program).mode & 0o777).toBe(0o755)
    expect(readIdentity(place.home)).toMatchObject({ deviceId: 7, name: 'tm-x' })
    expect(statSync(place.home).mode & 0o777).toBe(0o700)
    expect(new Spool(place.home).add({ at: 0, interval: 60_000, readings: [] }).seq).toBe(41)
    expect(said.join('\n')).toContain('Enrolled as tm-x of Tidemill Ferries, Harbour.')
    expect(said.join('\n')).toContain('nothing starts it at boot')
  })
  it('to look only is said by a file that lies with the program, not in the folder that is the agent’s own; installed anew without, it goes', async () => {
    await install({ way: { server: url() }, key: 'k', name: 'tm-x', root, looksOnly: true }, say, false)
    const { lookOnly, starter, home, program } = placeAt(root)
    expect([lookOnly.startsWith(home), dirname(lookOnly)]).toEqual([false, dirname(program)])
    writeFileSync(program, '#!/bin/sh\necho "$CUSTODE_AGENT_LOOK_ONLY"\n')
    const said = () => execFileSync('sh', [starter, home], { encoding: 'utf8' })
    expect(said()).toBe('1\n')
    rmSync(lookOnly)
    expect(said()).toBe('0\n')
    await install({ way: { server: url() }, key: 'k', name: 'tm-x', root, looksOnly: true }, say, false)
    await go()
    expect(existsSync(lookOnly)).toBe(false)
  })
  it('leaves nothing behind when it is undone, and what was there before stays', async () => {
    writeFileSync(join(root, 'theirs'), '')
    await go()
    uninstall(root, say)
    expect(tree()).toEqual(['theirs'])
  })
  it('done again renews the program and keeps the key', async () => {
    await go()
    answer = [403, { code: 'enrolment-key-refused', detail: 'no' }]
    await go()
    expect(readIdentity(placeAt(root).home)).toMatchObject({ deviceKey: 'cdk.7.secret' })
    expect(said.join('\n')).toContain('enrolled already, as tm-x')
  })
  it('done again says anew how the server is reached: with another authority, and by TLS where that was plain HTTP; else it stays', async () => {
    await go()
    const { home } = placeAt(root)
    const known = readIdentity(home)!
    const again = async (before: string, way: Way): Promise<string> => {
      writeIdentity(home, { ...known, server: before })
      await install({ way, key: 'k', name: 'tm-x', root }, say, false)
      const { server: now, ca, proxy, deviceKey } = readIdentity(home)!
      return [now, ca, proxy, deviceKey === known.deviceKey].join(' ')
    }
    expect(await again('http://192.0.2.9:7700', { server: 'https://custode.example' })).toBe(
      'https://custode.example   true',
    )
    expect(
      await again('https://first.example', {
        server: 'https://other.example',
        ca: 'CA',
        proxy: 'http://proxy.example',
      }),
    ).toBe('https://first.example CA http://proxy.example true')
    expect(await again('http://127.0.0.1:7700', { server: 'https://other.example' })).toBe(
      'http://127.0.0.1:7700   true',
    )
  })
  it('says in the server’s words why it is refused, and that nobody answers', async () => {
    answer = [409, { code: 'name-in-use', detail: 'Tidemill Ferries has a device named “TM-X” already' }]
    await expect(go()).rejects.toThrow('has a device named “TM-X” already')
    await expect(
      install({ way: { server: 'http://127.0.0.1:9' }, key: 'k', name: 'x', root, tries: 1 }, say, false),
    ).rejects.toThrow('ECONNREFUSED')
    expect(readIdentity(placeAt(root).home)).toBeNull()
  })
})

describe('the unit', () => {
  it('has a watchdog only where somebody can say that all is well', () => {
    expect([
      unitText(placeAt('')).includes('WatchdogSec=300'),
      unitText(placeAt(''), false).includes('Watchdog'),
    ]).toEqual([true, false])
  })
  it('is accepted by systemd’s own checker', () => {
    const file = join(root, 'custode-agent.service')
    writeFileSync(file, unitText({ ...placeAt(''), starter: '/bin/true' }))
    const { status, stderr } = spawnSync('systemd-analyze', ['verify', '--man=no', file], { encoding: 'utf8' })
    // The checker also speaks of other units of this machine; of ours it has nothing to say.
    expect(stderr.split('\n').filter((line) => line.includes('custode-agent'))).toEqual([])
    expect(status).toBe(0)
  })
  it('is hardened: systemd’s own measure of exposure finds it well protected', () => {
    const file = join(root, 'custode-agent.service')
    writeFileSync(file, unitText({ ...placeAt(''), starter: '/bin/true' }))
    const { stdout } = spawnSync(
      'systemd-analyze',
      ['security', '--offline=yes', '--no-pager', '--threshold=100', file],
      { encoding: 'utf8' },
    )
    const exposure = Number(/Overall exposure level for custode-agent\.service: ([\d.]+)/.exec(stdout)?.[1])
    // systemd-analyze(1): 0 is most protected, 10 is exposed; below 4 it says OK.
    expect(exposure).toBeGreaterThan(0)
    expect(exposure).toBeLessThan(4)
  })
})

describe('ports', () => {
  // The layout of proc(5); the addresses are those of a machine with the least byte first.
  const head = '  sl  local_address rem_address   st tx_queue rx_queue tr tm->when retrnsmt   uid  timeout inode\n'
  it('are those that wait for others; loopback and connections are left out', () => {
    const table = `${head}   0: 00000000:0016 00000000:0000 0A\n   1: 0100007F:1538 00000000:0000 0A\n   2: 0A0200C0:C001 0B0200C0:01BB 01\n   3: 0A0200C0:01BB 00000000:0000 0A\n`
    expect(parseSockets(table, 'tcp').map((socket) => socket.port)).toEqual([22, 443])
    const six = `${head}   0: 00000000000000000000000000000000:0050 00000000000000000000000000000000:0000 0A\n   1: 00000000000000000000000001000000:0019 00000000000000000000000000000000:0000 0A\n`
    expect(parseSockets(six, 'tcp').map((socket) => socket.port)).toEqual([80])
  })
  it('are told once, in order', () => {
    expect(
      distinctPorts([
        { port: 443, protocol: 'tcp' },
        { port: 53, protocol: 'udp' },
        { port: 53, protocol: 'tcp' },
        { port: 443, protocol: 'tcp' },
      ]),
    ).toEqual([
      { port: 53, protocol: 'tcp' },
      { port: 53, protocol: 'udp' },
      { port: 443, protocol: 'tcp' },
    ])
  })
  it('of this machine are seen as they are, and its packages as dpkg lists them', async () => {
    const listen = (host: string) =>
      new Promise<ReturnType<typeof createSocket>>((resolve) => {
        const socket = createSocket().listen(0, host, () => resolve(socket))
      })
    const [open, hidden] = [await listen('0.0.0.0'), await listen('127.0.0.1')]
    const { facts } = await softwareCollector().collect(Date.now())
    const ports = facts!.ports!.map((port) => port.port)
    expect([open, hidden].map((socket) => ports.includes((socket.address() as AddressInfo).port))).toEqual([
      true,
      false,
    ])
    open.close()
    hidden.close()
    const listed = execFileSync('dpkg', ['--get-selections'], { encoding: 'utf8' })
      .split('\n')
      .filter((line) => line.endsWith('\tinstall'))
      .map((line) => line.split(/[\t:]/)[0])
    expect(new Set(facts!.packages)).toEqual(new Set(listed))
    expect(existsSync('/proc/net/tcp')).toBe(true)
  })
})

describe('who may ping', () => {
  it.each<[string, ReturnType<typeof rangeWith>]>([
    ['1\t0\n', [991, 991]],
    // Everybody may, or somebody has said who.
    ['0\t2147483647\n', null],
    ['100\t200\n', null],
    ['', null],
  ])('%j', (text, is) => {
    expect(rangeWith(readRange(text), 991)).toEqual(is)
  })
})
