import { execFileSync } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { createServer as createPlain, type Server } from 'node:http'
import { createServer } from 'node:https'
import { connect, type AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, afterEach, beforeAll, describe, expect, it, vi } from 'vitest'
import { selfSigned, signedByOwnAuthority } from '../../../standins/src/certificates'
import { call, fetchTo, textOf } from './call'
import { requireSafe, readCa, wayTo } from './way'

const folder = mkdtempSync(join(tmpdir(), 'custode-way-'))
const { ca, ...identity } = signedByOwnAuthority(folder, '127.0.0.1')
const stranger = signedByOwnAuthority(join(folder, 'stranger'), '127.0.0.1').ca
const opened: Server[] = []
let servers: Record<'good' | 'otherName' | 'selfSigned' | 'plain' | 'proxy', string>
const asked: string[] = []

async function listen(server: Server, scheme: string): Promise<string> {
  opened.push(server)
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  return `${scheme}://127.0.0.1:${(server.address() as AddressInfo).port}`
}
beforeAll(async () => {
  const answer = (_: unknown, response: { end(text: string): void }) => {
    response.end('{"hello":1}')
  }
  const { ca: _, ...other } = signedByOwnAuthority(folder, '127.0.0.2')
  // What a proxy does (CONNECT, RFC 9110, section 9.3.6).
  const proxy = createPlain().on('connect', (request, client) => {
    asked.push(request.url!)
    const [host, port] = request.url!.split(':') as [string, string]
    const server = connect(Number(port), host, () => {
      client.write('HTTP/1.1 200 Connection established\r\n\r\n')
      server.pipe(client).pipe(server)
    })
    client.on('error', () => server.destroy())
    server.on('error', () => client.destroy())
  })
  servers = {
    good: await listen(createServer(identity, answer), 'https'),
    otherName: await listen(createServer(other, answer), 'https'),
    selfSigned: await listen(createServer(selfSigned(folder, 'self'), answer), 'https'),
    plain: (await listen(createPlain(answer), 'http')).replace('http:', 'https:'),
    proxy: await listen(proxy, 'http'),
  }
})
afterAll(() => {
  for (const server of opened) {
    server.closeAllConnections()
    server.close()
  }
  rmSync(folder, { recursive: true })
})
afterEach(() => {
  vi.unstubAllEnvs()
})

const ask = async (way: Parameters<typeof call>[0]) =>
  call<{ hello: number }>(way, 'GET', '/').then(
    ({ body }) => String(body.hello),
    (error: Error) => error.message,
  )

describe('a server', () => {
  it('that shows a certificate of the given authority is spoken with, and no other is', async () => {
    expect(await ask({ server: servers.good, ca })).toBe('1')
    expect(await textOf({ server: servers.good, ca }, '/')).toBe('{"hello":1}')
    expect(await ask({ server: servers.good, ca: stranger })).toMatch(/is not trusted: .* install with --ca FILE/)
    expect(await ask({ server: servers.selfSigned, ca })).toMatch(/is not trusted: .* install with --ca FILE/)
    expect(await ask({ server: servers.otherName, ca })).toContain('is for another name than the one in this address')
    expect(await ask({ server: servers.plain, ca })).toContain('what answers there does not speak TLS')
    await expect(fetchTo({ server: servers.good, ca: stranger }, '/', join(folder, 'file'))).rejects.toThrow(
      'is not trusted',
    )
  })
  it('is trusted as the system’s store says, where no authority was given', async () => {
    vi.stubEnv('SSL_CERT_FILE', '/etc/ssl/certs/ca-certificates.crt')
    expect(await ask({ server: servers.good })).toContain('is not trusted')
    writeFileSync(join(folder, 'store.pem'), `# a comment\n${stranger}\n${ca}`)
    vi.stubEnv('SSL_CERT_FILE', join(folder, 'store.pem'))
    // Read once for each way: another proxy is another.
    expect(await ask({ server: servers.good, proxy: servers.proxy })).toBe('1')
    // An authority that was given stands in its place, not beside it.
    expect(await ask({ server: servers.good, ca: stranger })).toContain('is not trusted')
  })
  it('is reached through a proxy, which sees where to and nothing more', async () => {
    asked.length = 0
    expect(await ask({ server: servers.good, ca, proxy: servers.proxy })).toBe('1')
    expect(asked).toEqual([servers.good.replace('https://', '')])
    expect(await ask({ server: servers.good, ca: stranger, proxy: servers.proxy })).toContain('is not trusted')
  })
  it.each([
    'http://custode.example',
    'http://192.0.2.1:7700',
    'http://127.0.0.1.example',
    'http://[2001:db8::1]',
    'http://localhost.example',
    'http://0.0.0.0',
  ])('at %s would hear secrets in the open, and hears nothing', async (server) => {
    expect(await ask({ server })).toContain('speaks plain HTTP')
    await expect(textOf({ server }, '/')).rejects.toThrow('speaks plain HTTP')
    await expect(fetchTo({ server }, '/', join(folder, 'file'))).rejects.toThrow('speaks plain HTTP')
  })
  it.each([
    'http://127.0.0.1:1',
    'http://127.8.9.10',
    'http://localhost:7700',
    'http://[::1]:7700',
    'https://custode.example',
  ])('at %s may be told secrets', (server) => {
    expect(requireSafe(server).origin).toBe(server)
  })
  it.each(['custode.example', 'ftp://custode.example', '', 'https://'])('“%s” is no address', (server) => {
    expect(() => requireSafe(server)).toThrow('is no address of a server')
  })
})

describe('the way there', () => {
  it('is by the proxy of the environment, unless it says that there is none to this host', () => {
    vi.stubEnv('https_proxy', 'http://proxy.example:3128')
    expect(wayTo('https://custode.example', undefined)).toEqual({
      server: 'https://custode.example',
      proxy: 'http://proxy.example:3128',
    })
    expect(wayTo('https://custode.example', 'x', 'http://other.example:1')).toEqual({
      server: 'https://custode.example',
      ca: 'x',
      proxy: 'http://other.example:1',
    })
    vi.stubEnv('no_proxy', '.example')
    expect(wayTo('https://custode.example', undefined)).toEqual({ server: 'https://custode.example' })
    expect(() => wayTo('https://custode.example', undefined, 'proxy:3128')).toThrow('is no address of a proxy')
  })
  it('takes certificates out of a file as openssl(1) counts them, and says what else is in it', () => {
    const file = join(folder, 'authorities.pem')
    writeFileSync(file, `Some words.\n${ca}${stranger}`)
    const read = readCa(file)
    writeFileSync(join(folder, 'read.pem'), read)
    const counted = execFileSync('openssl', ['storeutl', '-noout', '-certs', join(folder, 'read.pem')], {
      encoding: 'utf8',
    })
    expect(counted).toContain('Total found: 2')
    for (const [content, words] of [
      ['no certificate', 'holds no certificate'],
      ['-----BEGIN CERTIFICATE-----\nAAAA\n-----END CERTIFICATE-----', 'something that is no certificate'],
    ] as const) {
      writeFileSync(file, content)
      expect(() => readCa(file)).toThrow(words)
    }
    expect(() => readCa(join(folder, 'nowhere'))).toThrow('there is no file')
  })
})
