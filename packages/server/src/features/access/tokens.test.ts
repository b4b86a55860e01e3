import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { AuditLine, BoardPage, MadeToken, NewToken, TokenListed } from '#contract'
import { openHouse, type Caller, type House } from '../../testing/house'
import { isOpenTo } from './tokens'

let house: House
beforeAll(async () => {
  house = await openHouse()
  await house.enrol(house.sites[0], 'tm-token-1')
  await house.enrol(house.sites[1], 'bb-token-1')
})
afterAll(() => house.close())

const make = async (more: Partial<NewToken> = {}, ask: Caller = house.lead) =>
  (
    await ask<MadeToken>('POST', '/api/tokens', {
      name: 'a program',
      scope: 'read',
      clientIds: null,
      days: 30,
      ...more,
    })
  ).body
const by =
  ({ token }: MadeToken): Caller =>
  (method, url, body, headers = {}) =>
    house.nobody(method, url, body, { authorization: `Bearer ${token}`, ...headers })
const window = {
  name: 'By a program',
  reason: '',
  target: { on: 'everyone' },
  subject: { of: 'all' },
  from: null,
  length: 3_600_000,
}

describe('a token', () => {
  it('opens what its scope says, and nothing else', async () => {
    const [read, plan, all] = [
      by(await make()),
      by(await make({ scope: 'maintenance' })),
      by(await make({ scope: 'all' })),
    ]
    const client = { name: 'Made by a program', code: 'mp' }
    const statuses = async (ask: Caller) => [
      (await ask('GET', '/api/devices')).status,
      (await ask('POST', '/api/windows', window)).status,
      (await ask('POST', '/api/clients', client)).status,
      (await ask('GET', '/api/people')).status,
      (await ask('POST', '/api/tokens', { name: 'x', scope: 'all', clientIds: null, days: 1 })).status,
      (await ask('PUT', '/api/session/password', {})).status,
    ]
    expect(await statuses(read)).toEqual([200, 403, 403, 403, 403, 403])
    expect(await statuses(plan)).toEqual([200, 200, 403, 403, 403, 403])
    expect(await statuses(all)).toEqual([200, 200, 200, 403, 403, 403])
    expect((await read('POST', '/api/windows', window)).body.code).toBe('beyond-scope')
  })

  it('never opens more than its person may, as they are today', async () => {
    const person = await house.personWith('technician', null)
    const limited = by(await make({ scope: 'all', clientIds: [house.clients[1]] }, person.ask))
    const names = async () => (await limited<BoardPage>('GET', '/api/devices')).body.devices.map(({ name }) => name)
    expect(await names()).toEqual(['bb-token-1'])
    expect((await limited('POST', '/api/clients', { name: 'No', code: 'no' })).status).toBe(403)
    await house.lead('PUT', `/api/people/${person.id}`, { clientIds: [house.clients[0]] })
    expect(await names()).toEqual([])
    await house.lead('PUT', `/api/people/${person.id}`, { active: false })
    expect((await limited('GET', '/api/devices')).body.code).toBe('token-refused')
  })

  it('is not made for clients that somebody does not see', async () => {
    const person = await house.personWith('technician', [house.clients[1]])
    const answer = await person.ask('POST', '/api/tokens', {
      name: 'x',
      scope: 'read',
      clientIds: [house.clients[0]],
      days: 1,
    })
    expect(answer.body.code).toBe('no-such-client')
    expect((await house.contact('POST', '/api/tokens', {})).status).toBe(403)
  })

  it('ends when it is revoked, or its time is over; it is listed with its last use, and never told again', async () => {
    const made = await make({ name: 'nightly' })
    expect((await by(made)('GET', '/api/clients')).status).toBe(200)
    const { body: listed } = await house.lead<TokenListed[]>('GET', '/api/tokens')
    expect(listed.find(({ id }) => id === made.id)).toMatchObject({ name: 'nightly', usedFrom: '127.0.0.1' })
    expect(JSON.stringify(listed)).not.toContain(made.token)
    await house.lead('DELETE', `/api/tokens/${made.id}`)
    expect((await by(made)('GET', '/api/clients')).body.code).toBe('token-refused')
    const old = await make()
    await house.pool.query('update token set expires_at = now() where id = $1', [old.id])
    expect((await by(old)('GET', '/api/clients')).status).toBe(401)
    expect((await by({ id: 0, token: `custode_${'x'.repeat(32)}` })('GET', '/api/clients')).status).toBe(401)
  })

  it('is named in the trail of what it did', async () => {
    const ask = by(await make({ name: 'planner', scope: 'maintenance' }))
    const { id } = (await ask<{ id: number }>('POST', '/api/windows', { ...window, name: 'Planned' })).body
    const lines = (await house.lead<AuditLine[]>('GET', `/api/audit?kind=window&object=${id}`)).body
    expect(lines[0]!.changes).toContainEqual({ what: 'byToken', before: null, after: 'planner' })
  })

  it('works beside a cookie that is not there, and is no way around the origin of a page', async () => {
    const made = await make({ scope: 'all' })
    const foreign = { 'sec-fetch-site': 'cross-site' }
    expect((await by(made)('POST', '/api/windows', window, foreign)).status).toBe(200)
    expect((await house.lead('POST', '/api/windows', window, foreign)).body.code).toBe('foreign-origin')
  })
})

it('no scope opens who may do what, whatever else it opens', () => {
  for (const url of [
    '/api/people',
    '/api/people/:id',
    '/api/tokens',
    '/api/session/password',
    '/api/ways/mail',
    '/api/live',
  ])
    for (const scope of ['read', 'maintenance', 'all'] as const)
      expect([scope, url, isOpenTo(scope, 'GET', url)]).toEqual([scope, url, false])
  expect(isOpenTo('maintenance', 'POST', '/api/windows/:id/end')).toBe(true)
  expect(isOpenTo('maintenance', 'POST', '/api/policy/changes')).toBe(false)
  expect(isOpenTo('all', 'POST', '/api/policy/changes')).toBe(true)
})
