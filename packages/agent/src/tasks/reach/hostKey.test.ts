import { createHash, generateKeyPairSync } from 'node:crypto'
import { createRequire } from 'node:module'
import { createServer, type Server } from 'node:net'
import ssh from 'ssh2'
import { afterEach, describe, expect, it } from 'vitest'
import { HostKey, keysFirst } from './hostKey'
import { identify } from './identify'

const { utils } = createRequire(import.meta.url)('ssh2') as typeof ssh
const address = '127.77.4.1'
const newKey = () =>
  generateKeyPairSync('rsa', {
    modulusLength: 2048,
    privateKeyEncoding: { type: 'pkcs1', format: 'pem' },
    publicKeyEncoding: { type: 'pkcs1', format: 'pem' },
  }).privateKey
const [first, second, own] = [newKey(), newKey(), newKey()]
/** As OpenSSH takes it: of the public half as it goes over the wire (RFC 4253, section 6.6). */
function fingerprintOf(privateKey: string): string {
  const key = utils.parseKey(privateKey)
  if (key instanceof Error) throw key
  return createHash('sha256').update(key.getPublicSSH()).digest('base64')
}

const opened: Server[] = []
afterEach(() => {
  for (const server of opened.splice(0)) server.close()
})

/** A machine that shows these keys, one a connection, and takes the password `b` or nothing. */
async function machine(hostKeys: string[], takesKeys = false): Promise<string[]> {
  const heard: string[] = []
  let connections = 0
  const serve = (client: ssh.Connection) => {
    client.on('error', () => undefined)
    client.on('authentication', (context) => {
      if (context.method !== 'none')
        heard.push(context.method === 'password' ? `password ${context.password}` : context.method)
      if (context.method === 'password' ? context.password === 'b' : takesKeys && context.method === 'publickey')
        context.accept()
      else context.reject(['publickey', 'password'])
    })
    client.on('session', (accept) => {
      accept().on('exec', (acceptExec) => {
        const channel = acceptExec()
        channel.write('Debian GNU/Linux 12 (bookworm)\nx86_64\nnone\n')
        channel.exit(0)
        channel.end()
      })
    })
  }
  const doors = hostKeys.map((key) => new ssh.Server({ hostKeys: [key] }, serve))
  const listener = createServer((socket) => {
    doors[Math.min(connections++, doors.length - 1)]!.injectSocket(socket)
  })
  await new Promise<void>((resolve) => listener.listen(22, address, resolve))
  opened.push(listener)
  return heard
}
const password = (id: number, word: string) => ({ id, user: 'root', password: word })
const key = (id: number) => ({ id, user: 'root', privateKey: own })

describe('a machine that is signed in at', () => {
  it('is tried with keys before passwords, whatever their order', async () => {
    expect(keysFirst([password(1, 'a'), key(2), password(3, 'b'), key(4)]).map((trial) => trial.id)).toEqual([
      2, 4, 1, 3,
    ])
    const heard = await machine([first], true)
    expect(await identify(address, [password(1, 'b'), key(2)], new HostKey(null))).toMatchObject({
      trial: 2,
      system: 'Debian 12, x86_64',
      hostKey: fingerprintOf(first),
    })
    expect(heard.filter((line) => line.startsWith('password'))).toEqual([])
  })
  it('and whose key nobody has accepted gets no password; what it showed is told', async () => {
    const heard = await machine([first])
    const told = await identify(address, [password(1, 'b'), key(2)], new HostKey(null))
    expect(told).toMatchObject({
      trial: null,
      hostKey: fingerprintOf(first),
      reason: expect.stringMatching(
        /Nobody has accepted its key \(SHA256:[\w+/]{43}\) yet, so no password was sent/,
      ) as string,
    })
    expect(heard).toEqual(['publickey'])
  })
  it('gets one when its key was accepted, or when somebody said so', async () => {
    const heard = await machine([first])
    expect(await identify(address, [password(1, 'b')], new HostKey(fingerprintOf(first)))).toMatchObject({ trial: 1 })
    expect(await identify(address, [password(1, 'b')], new HostKey(null, true))).toMatchObject({
      trial: 1,
      hostKey: fingerprintOf(first),
    })
    expect(heard).toEqual(['password b', 'password b'])
  })
  it('and shows another key than the accepted one gets nothing, whatever somebody said', async () => {
    const heard = await machine([second])
    expect(await identify(address, [key(2), password(1, 'b')], new HostKey(fingerprintOf(first), true))).toMatchObject({
      trial: null,
      hostKey: fingerprintOf(second),
      reason: expect.stringContaining('another key than before') as string,
    })
    expect(heard).toEqual([])
  })
  it('and changes its key from one try to the next gets no second password', async () => {
    const heard = await machine([first, second])
    expect(await identify(address, [password(1, 'a'), password(2, 'b')], new HostKey(null, true))).toMatchObject({
      trial: null,
      hostKey: fingerprintOf(second),
    })
    expect(heard).toEqual(['password a'])
  })
})
