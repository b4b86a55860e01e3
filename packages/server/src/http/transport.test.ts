import { execFile, execFileSync } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { request as plainRequest } from 'node:http'
import { request } from 'node:https'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { signedByOwnAuthority } from '../../../standins/src/certificates'
import { powershellFaults } from '../../../standins/src/powershellGrammar'
import { newKey, openHouse, throughProxy, type House } from '../testing/house'
import { isLoopback, readPublicAddress } from './transport'

const folder = mkdtempSync(join(tmpdir(), 'custode-transport-'))
const { ca, ...tls } = signedByOwnAuthority(folder, '127.0.0.1')
let house: House
let port: number
beforeAll(async () => {
  house = await openHouse('', undefined, { tls, address: readPublicAddress('https://custode.example', ca) })
  await house.app.listen({ port: 0, host: '127.0.0.1' })
  port = (house.app.server.address() as AddressInfo).port
})
afterAll(async () => {
  await house.close()
  rmSync(folder, { recursive: true })
})

describe('plain HTTP', () => {
  it('from another machine is refused on every route, before anything is read', async () => {
    const { body } = await house.lead<{ paths: Record<string, Record<string, unknown>> }>('GET', '/api/openapi.json')
    const routes = Object.entries(body.paths).flatMap(([path, methods]) =>
      Object.keys(methods).map((method) => ({
        method: method.toUpperCase() as 'GET',
        url: path.replace(/\{\w+\}/g, '1'),
      })),
    )
    expect(routes.length).toBeGreaterThan(80)
    for (const route of routes) {
      const answer = await house.app.inject({ ...route, remoteAddress: '203.0.113.9' })
      expect([route, answer.statusCode, answer.json<{ code: string }>().code]).toEqual([route, 403, 'needs-tls'])
    }
    // What only claims to have come over TLS did not.
    expect(
      (
        await house.app.inject({
          url: '/api/session',
          remoteAddress: '203.0.113.9',
          headers: { 'x-forwarded-proto': 'https', 'x-forwarded-for': '127.0.0.1' },
        })
      ).statusCode,
    ).toBe(403)
  })
  it('from this machine is taken, and what a proxy on it says came over TLS', async () => {
    expect((await house.app.inject({ url: '/api/session' })).json()).toMatchObject({ code: 'sign-in-needed' })
    expect((await house.app.inject({ url: '/api/session', ...throughProxy('203.0.113.9') })).json()).toMatchObject({
      code: 'sign-in-needed',
    })
    expect(
      (
        await house.app.inject({
          url: '/api/session',
          remoteAddress: '127.0.0.1',
          headers: { 'x-forwarded-for': '203.0.113.9' },
        })
      ).json(),
    ).toMatchObject({ code: 'needs-tls' })
  })
})

describe('over TLS', () => {
  const signIn = () =>
    new Promise<string[]>((resolve, reject) => {
      const body = JSON.stringify({ email: 'lead@lanternfield.example', password: 'correct horse battery' })
      const asking = request(
        {
          host: '127.0.0.1',
          port,
          path: '/api/session',
          method: 'POST',
          ca,
          headers: { 'content-type': 'application/json', 'content-length': body.length },
        },
        (answer) => {
          answer.resume()
          resolve([...(answer.headers['set-cookie'] ?? []), String(answer.headers['strict-transport-security'])])
        },
      )
      asking.on('error', reject)
      asking.end(body)
    })
  it('the session is a cookie that only this host gets, and only over TLS (RFC 6265bis); browsers stay with TLS (RFC 6797)', async () => {
    const [cookie, transport] = await signIn()
    expect(cookie).toMatch(/^__Host-custode=/)
    for (const attribute of ['Secure', 'HttpOnly', 'SameSite=Strict', 'Path=/']) expect(cookie).toContain(attribute)
    expect(cookie).not.toContain('Domain')
    expect(transport).toMatch(/^max-age=\d{8}$/)
  })
  it('nothing older than TLS 1.2 is spoken, and plain HTTP not at all: openssl(1)', async () => {
    const speak = (version: string) =>
      new Promise<string>((resolve) => {
        const child = execFile(
          'openssl',
          ['s_client', '-connect', `127.0.0.1:${port}`, version, '-CAfile', join(folder, 'authority.pem')],
          { timeout: 10_000 },
          (error, output) => {
            resolve(error ? 'refused' : (/Verify return code: \d+/.exec(output)?.[0] ?? ''))
          },
        )
        child.stdin!.end()
      })
    expect(await Promise.all(['-tls1_1', '-tls1_2', '-tls1_3'].map(speak))).toEqual([
      'refused',
      'Verify return code: 0',
      'Verify return code: 0',
    ])
    await expect(
      new Promise((resolve, reject) =>
        plainRequest({ host: '127.0.0.1', port, path: '/api/session' }, resolve).on('error', reject).end(),
      ),
    ).rejects.toThrow()
  })
})

describe('the public address', () => {
  it('stands in the scripts, with the authority where machines do not know it', async () => {
    const script = (await house.app.inject({ url: '/agent/install.sh' })).body
    expect(script).toContain(`--server 'https://custode.example'`)
    expect(script).toContain(ca.trim())
    expect(script).toContain(`--proto '=https'`)
    expect(execFileSync('sh', ['-n'], { input: script, encoding: 'utf8' })).toBe('')
    const forWindows = (await house.app.inject({ url: '/agent/install.ps1' })).body
    expect(forWindows).toContain(ca.trim())
    expect(await powershellFaults(forWindows)).toEqual([])
    expect((await house.app.inject({ url: '/agent/ca.pem' })).body).toBe(`${ca.trim()}\n`)
    expect(
      (
        await house.technician<{ server: string; hasOwnCa: boolean }>(
          'POST',
          '/api/enrolment-keys',
          newKey(house.sites[0]),
        )
      ).body,
    ).toMatchObject({ server: 'https://custode.example', hasOwnCa: true })
  })
  it.each([
    'http://custode.example',
    'http://192.0.2.1',
    'custode.example',
    'https://custode.example/path',
    'https://a:b@custode.example',
    `https://cus'tode.example`,
    'https://custode.example?x',
    '',
  ])('is not “%s”', (text) => {
    expect(() => readPublicAddress(text)).toThrow()
  })
  it('with an authority needs a certificate', () => {
    expect(() => readPublicAddress('https://custode.example', 'words')).toThrow('holds no certificate')
  })
  it('loopback is what RFC 1122 (3.2.1.3) and RFC 4291 (2.5.3) reserve for it', () => {
    expect(['127.0.0.1', '127.255.0.9', '::1', '::ffff:127.0.0.1', 'localhost'].map(isLoopback)).toEqual([
      true,
      true,
      true,
      true,
      true,
    ])
    expect(['128.0.0.1', '0.0.0.0', '::', '::ffff:192.0.2.1', '192.0.2.1', '2001:db8::1'].map(isLoopback)).toEqual([
      false,
      false,
      false,
      false,
      false,
      false,
    ])
  })
})
