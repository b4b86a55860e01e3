import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { House } from '../testing/house'
import { attempts, openTwoClients, type Method, type TwoClients } from '../testing/twoClients'

// A bad request is an answer: whatever stands in a field, an address or a query, the server says what is wrong with it.
let all: TwoClients
let house: House
beforeAll(async () => {
  all = await openTwoClients()
  house = all.house
}, 360_000)
afterAll(() => all.close())

/** What has broken servers: nothing, other types, ends of ranges, and text that a database cannot take. */
const odd: readonly unknown[] = [
  null,
  true,
  -1,
  0,
  0.5,
  2 ** 31 - 1,
  2 ** 31,
  -(2 ** 31) - 1,
  Number.MAX_SAFE_INTEGER,
  1e308,
  8.64e15 + 1,
  -62_135_596_800_001,
  '',
  ' ',
  '\u0000',
  'a\u0000b',
  '\ud800',
  'x'.repeat(300),
  'y'.repeat(70_000),
  '٣',
  '%',
  '1970-01-01',
  "'; select 1; --",
  '((((',
  '\\',
  [],
  [null],
  [-1, 2 ** 40],
  {},
  { on: 'everyone' },
  { on: 'any', of: [] },
]

type Way = readonly (string | number)[]

/** Every place in a value, itself first. */
function waysInto(value: unknown, way: Way = []): Way[] {
  if (typeof value !== 'object' || value === null) return [way]
  return [
    way,
    ...Object.entries(value).flatMap(([name, part]) =>
      waysInto(part, [...way, Array.isArray(value) ? Number(name) : name]),
    ),
  ]
}

function withValue(value: unknown, way: Way, put: unknown): unknown {
  if (!way.length) return put
  const [first, ...rest] = way as [string | number, ...(string | number)[]]
  const copy = (Array.isArray(value) ? [...(value as unknown[])] : { ...(value as object) }) as Record<
    string | number,
    unknown
  >
  copy[first] = withValue(copy[first], rest, put)
  return copy
}

interface Sent {
  method: Method
  url: string
  body: unknown
  headers?: Record<string, string>
}
const faults: string[] = []
let sent = 0
let slowest = { ms: 0, what: '' }

async function send({ method, url, body, headers = {} }: Sent, cookie: string): Promise<void> {
  const began = performance.now()
  const response = await house.app.inject({
    method,
    url,
    headers: { cookie, ...(body === undefined ? {} : { 'content-type': 'application/json' }), ...headers },
    ...(body === undefined ? {} : { payload: JSON.stringify(body) }),
  })
  const ms = performance.now() - began
  sent++
  const what = `${method} ${url.slice(0, 100)} ${JSON.stringify(body)?.slice(0, 400)}`
  if (ms > slowest.ms) slowest = { ms, what }
  if (response.statusCode >= 500) faults.push(`${response.statusCode} ${what}`)
  else if (response.statusCode >= 400) {
    const detail = response.json<{ detail?: string }>().detail ?? ''
    if (!detail.includes(' ')) faults.push(`no sentence: ${what}`)
    // What only the database has noticed is said in words that help nobody: a check of ours was to say it.
    if (/refers to is not there|than can be kept/.test(detail)) faults.push(`left to the database: ${what}`)
  }
}

describe('odd values', () => {
  it('in every field of every body, in every address and every query are told of, never stumbled over', async () => {
    const { cookie } = await house.personWith('lead', null)
    const { id, device } = all
    const report = device.report(20, {
      readings: [['cpu.busy', '', 0.5]],
      facts: {
        services: [{ name: 'a', title: '', start: 'automatic', state: 'running' }],
        logs: [{ name: 'a', collected: true }],
        ports: [{ port: 22, protocol: 'tcp' }],
      },
      events: [{ at: device.at(20), channel: 'syslog', source: 'x', id: null, level: 'error', text: 'y' }],
      failed: [{ collector: 'disks', reason: 'no' }],
      rested: ['updates'],
    })
    const bearer = { authorization: `Bearer ${device.key}` }
    const bodies: Sent[] = [
      ...attempts(all).map(({ method, url, body }) => ({ method, url, body: body ?? {} })),
      {
        method: 'POST',
        url: '/api/agent/reports',
        headers: bearer,
        body: {
          version: 1,
          sentAt: Date.now(),
          oldest: report.seq,
          reports: [report],
          instance: 'i',
          machine: 'm',
          up: 1000,
          boot: 'b',
        },
      },
      {
        method: 'POST',
        url: '/api/agent/enrol',
        body: {
          version: 1,
          key: 'no-such-key',
          name: 'tm-x',
          osFamily: 'linux',
          osName: 'Debian 12',
          addresses: ['192.0.2.9'],
          sentAt: Date.now(),
        },
      },
      {
        method: 'POST',
        url: '/api/agent/tasks/1',
        headers: bearer,
        body: {
          sweep: {
            state: 'running',
            reason: '',
            scanned: 1,
            total: 2,
            found: [
              {
                address: '192.0.2.1',
                name: null,
                ports: [22],
                banner: null,
                signedIn: { trial: 1, system: '', agent: false, hostKey: null, reason: '' },
              },
            ],
          },
        },
      },
      { method: 'POST', url: '/api/session', body: { email: 'nobody@lanternfield.example', password: 'x' } },
      { method: 'PUT', url: '/api/session/password', body: { current: 'x', password: 'correct horse battery' } },
      { method: 'POST', url: '/api/machine-lists', body: { csv: 'address,name\n192.0.2.1,a' } },
      {
        method: 'POST',
        url: '/api/targets/matches',
        body: {
          target: {
            on: 'all',
            of: [
              { on: 'kind', kind: 'server' },
              { on: 'except', of: [{ on: 'name', pattern: 'a*' }] },
            ],
          },
        },
      },
      {
        method: 'POST',
        url: '/api/templates',
        body: {
          name: 'T',
          description: '',
          includes: [id.template],
          watches: [
            {
              key: 'k',
              kind: 'service-state',
              name: 'n',
              why: '',
              osFamilies: [],
              values: { which: 'named', names: ['a'], hold: 1000 },
            },
          ],
        },
      },
      {
        method: 'POST',
        url: '/api/policy/changes',
        body: {
          steps: [
            {
              of: 'template',
              id: -1,
              basedOn: 0,
              note: '',
              to: { name: 'U', description: '', includes: [], watches: [] },
            },
            {
              of: 'template',
              id: -1,
              basedOn: 0,
              note: '',
              to: { name: 'V', description: '', includes: [], watches: [] },
            },
          ],
        },
      },
    ]
    // Every second value in each place, the others in the next: all of them everywhere would be twice as many.
    let place = 0
    for (const sent of bodies)
      for (const way of waysInto(sent.body)) {
        place++
        for (const value of odd.filter((_, n) => (n + place) % 2 === 0))
          await send({ ...sent, body: withValue(sent.body, way, value) }, cookie)
      }

    // One of the bodies may have left a provider to sign in at, which is not there: what follows is not about that.
    await house.pool.query('delete from identity_provider')
    const { paths } = (
      await house.nobody<{ paths: Record<string, Record<string, { parameters?: { name: string; in: string }[] }>> }>(
        'GET',
        '/api/openapi.json',
      )
    ).body
    const numbers = [
      '0',
      '-1',
      '2147483648',
      '99999999999999999999',
      '1e3',
      '1.5',
      'x',
      '%00',
      '%ED%A0%80',
      '٣',
      'null',
      '%2e%2e',
      'x'.repeat(400),
    ]
    const texts = odd.map((value) =>
      (typeof value === 'string' ? value : JSON.stringify(value)).replaceAll('\ud800', ''),
    )
    for (const [url, methods] of Object.entries(paths))
      for (const [method, { parameters = [] }] of Object.entries(methods)) {
        const at = (value: string) => url.replaceAll(/\{\w+\}/g, value)
        if (url === '/api/live' || (url === '/api/session' && method === 'delete')) continue
        const base = {
          method: method.toUpperCase() as Method,
          headers: bearer,
          body: method === 'get' || method === 'delete' ? undefined : {},
        }
        if (url.includes('{')) for (const value of numbers) await send({ ...base, url: at(value) }, cookie)
        const query = parameters.filter((parameter) => parameter.in === 'query').map((parameter) => parameter.name)
        for (const name of query)
          for (const value of texts)
            await send(
              {
                ...base,
                url: `${at(String(id.device))}?${[...query.filter((other) => other !== name).map((other) => `${other}=1`), `${name}=${encodeURIComponent(value)}`].join('&')}`,
              },
              cookie,
            )
      }

    expect(faults.slice(0, 20)).toEqual([])
    expect(sent).toBeGreaterThan(10_000)
    process.stderr.write(
      `${sent} bad requests; the slowest took ${Math.round(slowest.ms)} ms: ${slowest.what.slice(0, 100)}\n`,
    )
  }, 1_800_000)

  it('that are no JSON, no gzip or no text get an answer, too', async () => {
    for (const [payload, headers] of [
      ['{', {}],
      ['', {}],
      ['nope', { 'content-encoding': 'gzip' }],
      ['{}', { 'content-type': 'text/plain' }],
      ['{}', { 'content-encoding': 'br' }],
      ['[1e999]', {}],
      ['{"a":1,"a":2}', {}],
      ['{"__proto__":{"x":1}}', {}],
    ] as [string, Record<string, string>][]) {
      const response = await house.app.inject({
        method: 'POST',
        url: '/api/session',
        headers: { 'content-type': 'application/json', ...headers },
        payload,
      })
      expect([payload, response.statusCode >= 400 && response.statusCode < 500]).toEqual([payload, true])
    }
  })
})
