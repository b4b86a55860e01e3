import { generateSync, ScureBase32Plugin } from 'otplib'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import type { AuditLine, PersonListed, RecoveryCodes, SecondFactor, SecondFactorSecret } from '#contract'
import { firstRow } from '../../db'
import { openHouse, type House, type PersonThere } from '../../testing/house'
import { stepOf } from './secondFactor'

let house: House
let person: PersonThere
beforeAll(async () => {
  house = await openHouse()
})
afterAll(() => house.close())
beforeEach(async () => {
  person = await house.personWith('technician', null)
})

const step = 30
/** The code of a time that is so many steps away. */
const codeOf = (secret: string, steps = 0) =>
  generateSync({ secret, epoch: Math.floor(Date.now() / 1000) + steps * step })
async function signIn(code?: string): Promise<[status: number, code: string]> {
  const answer = await house.app.inject({
    method: 'POST',
    url: '/api/session',
    payload: { ...person.signsInWith, ...(code === undefined ? {} : { code }) },
  })
  return [answer.statusCode, answer.json<{ code?: string }>().code ?? '']
}
async function begin(): Promise<string> {
  const { body, status } = await person.ask<SecondFactorSecret>('POST', '/api/second-factor', {
    password: person.signsInWith.password,
  })
  expect(status).toBe(200)
  expect(body.uri).toContain(`secret=${body.secret}`)
  return body.secret
}
/** Nobody waits for half a minute: as if the last code had been taken before. */
const longAgo = () =>
  house.pool.query('update second_factor set last_step = last_step - 10 where person_id = $1', [person.id])
async function setUp(): Promise<{ secret: string; codes: string[] }> {
  const secret = await begin()
  const { body, status } = await person.ask<RecoveryCodes>('PUT', '/api/second-factor', { code: codeOf(secret) })
  expect(status).toBe(200)
  await longAgo()
  return { secret, codes: body.codes }
}

// RFC 6238, appendix B: SHA-1, the secret “12345678901234567890”; of the eight digits given there the last six.
describe('a code of RFC 6238, appendix B', () => {
  const secret = new ScureBase32Plugin().encode(Buffer.from('12345678901234567890'))
  it.each([
    [59, '94287082'],
    [1_111_111_109, '07081804'],
    [1_111_111_111, '14050471'],
    [1_234_567_890, '89005924'],
    [2_000_000_000, '69279037'],
    [20_000_000_000, '65353130'],
  ])('at %i s', (seconds, eight) => {
    expect(stepOf(secret, eight.slice(2), null, seconds * 1000)).toBe(Math.floor(seconds / step))
    // Half a minute off at most, on either side.
    expect(stepOf(secret, eight.slice(2), null, (seconds + step) * 1000)).toBe(Math.floor(seconds / step))
    expect(stepOf(secret, eight.slice(2), null, (seconds + 3 * step) * 1000)).toBeNull()
    // Once only, and none from before the last one.
    expect(stepOf(secret, eight.slice(2), Math.floor(seconds / step), seconds * 1000)).toBeNull()
  })
  it('is six digits, whatever else is typed', () => {
    for (const text of ['', '94287', '9428708', 'abcdef', '９４２８７０', "' or 1=1"])
      expect(stepOf(secret, text, null, 59_000)).toBeNull()
  })
})

describe('a second factor', () => {
  it('is asked for from its first code on, and not before', async () => {
    const secret = await begin()
    expect(await signIn()).toEqual([200, ''])
    expect((await person.ask('PUT', '/api/second-factor', { code: '000000' })).status).toBe(400)
    expect(await signIn()).toEqual([200, ''])
    // Half a minute may end meanwhile, and the next code begin.
    const given = codeOf(secret)
    const { body } = await person.ask<RecoveryCodes>('PUT', '/api/second-factor', { code: given })
    expect(new Set(body.codes).size).toBe(10)
    expect(body.codes[0]).toMatch(/^[A-Z2-7]{4}(-[A-Z2-7]{4}){3}$/)
    expect((await person.ask<SecondFactor>('GET', '/api/second-factor')).body).toMatchObject({ codesLeft: 10 })
    expect(await signIn()).toEqual([401, 'second-factor-needed'])
    expect(await signIn('')).toEqual([401, 'second-factor-needed'])
    expect(await signIn('123456')).toEqual([401, 'second-factor-refused'])
    // What was given to set it up was taken, and is not taken again.
    expect(await signIn(given)).toEqual([401, 'second-factor-refused'])
    const next = codeOf(secret, 1)
    expect(await signIn(next)).toEqual([200, ''])
    expect(await signIn(next)).toEqual([401, 'second-factor-refused'])
  })
  it('takes a code once, also when it is given twice at the same moment', async () => {
    const { secret } = await setUp()
    const code = codeOf(secret)
    const both = await Promise.all([signIn(code), signIn(code)])
    expect(both.map(([status]) => status).toSorted()).toEqual([200, 401])
  })
  it('takes each recovery code once, however it is typed, and says so in the trail', async () => {
    const { codes } = await setUp()
    expect(await signIn(codes[0]!.toLowerCase().replaceAll('-', ' '))).toEqual([200, ''])
    expect(await signIn(codes[0])).toEqual([401, 'second-factor-refused'])
    expect(await signIn(codes[1])).toEqual([200, ''])
    expect((await person.ask<SecondFactor>('GET', '/api/second-factor')).body.codesLeft).toBe(8)
    const lines = (await house.lead<AuditLine[]>('GET', `/api/audit?kind=person&object=${person.id}`)).body
    expect(lines.filter(({ action }) => action === 'used a recovery code of')).toHaveLength(2)
  })
  it('is not to be guessed: a wrong code counts as a failed sign-in', async () => {
    const { secret } = await setUp()
    for (let i = 0; i < 10; i++) expect((await signIn('000000'))[1]).toBe('second-factor-refused')
    expect(await signIn(codeOf(secret))).toEqual([429, 'too-many-attempts'])
  })
  it('ends one’s other sessions, needs the password to begin and a code to end, and is one at a time', async () => {
    const other = await house.app.inject({ method: 'POST', url: '/api/session', payload: person.signsInWith })
    const cookie = (other.headers['set-cookie'] as string).split(';')[0]!
    expect((await person.ask('POST', '/api/second-factor', { password: 'not this one' })).status).toBe(400)
    const { secret, codes } = await setUp()
    expect((await house.app.inject({ method: 'GET', url: '/api/session', headers: { cookie } })).statusCode).toBe(401)
    const again = await person.ask('POST', '/api/second-factor', { password: person.signsInWith.password })
    expect(again.status).toBe(409)
    const end = (body: { password: string; code: string }) => person.ask('POST', '/api/second-factor/end', body)
    const right = person.signsInWith.password
    expect((await end({ password: right, code: '000000' })).status).toBe(400)
    expect((await end({ password: 'not this one', code: codeOf(secret) })).status).toBe(400)
    expect((await end({ password: right, code: codes[3]! })).status).toBe(200)
    expect(await signIn()).toEqual([200, ''])
    expect(await firstRow(house.pool, 'select from recovery_code where person_id = $1', [person.id])).toBeNull()
  })
  it('that was lost is taken away by a lead, who sees that there is one; nobody else does', async () => {
    await setUp()
    const seen = async (ask = house.lead) =>
      (await ask<PersonListed[]>('GET', '/api/people')).body.find(({ id }) => id === person.id)!.hasSecondFactor
    expect([await seen(), await seen(house.technician)]).toEqual([true, null])
    const path = `/api/people/${person.id}/second-factor/end`
    expect((await house.technician('POST', path)).status).toBe(403)
    expect((await house.lead('POST', path)).status).toBe(200)
    expect(await seen()).toBe(false)
    expect((await person.ask('GET', '/api/session')).status).toBe(401)
    expect(await signIn()).toEqual([200, ''])
  })
  it('whose key is gone takes recovery codes all the same, and refuses in words', async () => {
    const { secret, codes } = await setUp()
    await house.pool.query(`update second_factor set secret = decode(repeat('00', 60), 'hex') where person_id = $1`, [
      person.id,
    ])
    expect(await signIn(codeOf(secret))).toEqual([401, 'second-factor-refused'])
    expect(await signIn(codes[0])).toEqual([200, ''])
  })
  it('is sealed: the database alone makes no code', async () => {
    const { secret } = await setUp()
    const { rows } = await house.pool.query<{ text: string }>(
      `select encode(secret, 'escape') as text from second_factor where person_id = $1`,
      [person.id],
    )
    expect(rows[0]!.text).not.toContain(secret)
  })
})
