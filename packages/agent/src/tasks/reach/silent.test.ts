import { generateKeyPairSync } from 'node:crypto'
import { createServer, type Server, type Socket } from 'node:net'
import ssh from 'ssh2'
import { afterEach, describe, expect, it } from 'vitest'
import { HostKey } from './hostKey'
import { identify, identifyWindows } from './identify'
import { sweep } from '../sweep'
import { wsmanPort } from './wsmanPort'

// Machines that accept a connection and then say nothing, or never come to an end: none of them may hold up the others.
const servers: { close(): unknown }[] = []
const sockets = new Set<Socket>()
afterEach(() => {
  for (const socket of sockets) socket.destroy()
  for (const server of servers.splice(0)) server.close()
})
const listen = (server: Server | ssh.Server, port: number, address: string) =>
  new Promise<void>((resolve) => {
    servers.push(server)
    ;(server as Server).listen(port, address, resolve)
  })
const holding = (said: (socket: Socket) => void = () => undefined) =>
  createServer((socket) => {
    sockets.add(socket)
    socket.on('error', () => undefined)
    said(socket)
  })
/** A letter from time to time, and never a line. */
const dripping = () =>
  holding((socket) => {
    const timer = setInterval(() => socket.write('S'), 100)
    socket.on('close', () => {
      clearInterval(timer)
    })
  })
const trials = [{ id: 1, user: 'root', password: 'x' }]

describe('a machine', () => {
  it('that takes a connection for SSH and says nothing is given up', async () => {
    await listen(holding(), 22, '127.77.2.1')
    expect((await identify('127.77.2.1', trials, new HostKey(null, true), 300)).reason).toBe(
      'It accepted the connection, but said nothing for 300 ms.',
    )
  })
  it('that takes the sign-in and never ends what is asked of it is given up, and the connection is closed', async () => {
    let isClosed = false
    const { privateKey } = generateKeyPairSync('rsa', {
      modulusLength: 2048,
      privateKeyEncoding: { type: 'pkcs1', format: 'pem' },
      publicKeyEncoding: { type: 'pkcs1', format: 'pem' },
    })
    await listen(
      new ssh.Server({ hostKeys: [privateKey] }, (client) => {
        client
          .on('authentication', (context) => {
            context.accept()
          })
          .on('close', () => {
            isClosed = true
          })
          .on('error', () => undefined)
        client.on('session', (accept) => {
          accept().on('exec', (acceptExec) => {
            acceptExec().write('Debian')
          })
        })
      }),
      22,
      '127.77.2.2',
    )
    const told = await identify('127.77.2.2', trials, new HostKey(null, true), 1500)
    expect([told.trial, told.reason]).toEqual([
      null,
      'It accepted the connection, and then did not answer within 1.5 s.',
    ])
    await expect.poll(() => isClosed).toBe(true)
  })
  it('that takes a connection for WS-Management and says nothing, or something without end, is given up', async () => {
    await listen(holding(), wsmanPort, '127.77.2.3')
    await listen(dripping(), wsmanPort, '127.77.2.4')
    expect((await identifyWindows('127.77.2.3', trials, new HostKey(null, true), 300)).reason).toBe(
      'It accepted the connection, and then did not answer within 300 ms.',
    )
    expect((await identifyWindows('127.77.2.4', trials, new HostKey(null, true), 300)).reason).toMatch(
      /did not answer|Nothing answers as WS-Management/,
    )
  })
  it('of these kinds costs a sweep its own time only', async () => {
    await listen(dripping(), 22, '127.77.3.1')
    await listen(holding(), 22, '127.77.3.2')
    const found: (string | null)[] = []
    let last = 0
    await sweep('127.77.3.0/29', [22], (progress) => {
      last = progress.scanned
      if (progress.found) found.push(`${progress.found.address} ${progress.found.banner ?? 'silent'}`)
      return Promise.resolve()
    })
    expect([last, found.sort()]).toEqual([6, ['127.77.3.1 silent', '127.77.3.2 silent']])
  })
})
