import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { SessionListed } from '#contract'
import { minute } from '#core'
import { rows } from '../../db'
import { openHouse, type Caller, type House } from '../../testing/house'

let house: House
beforeAll(async () => {
  house = await openHouse()
})
afterAll(() => house.close())

const listed = async (ask: Caller) => (await ask<SessionListed[]>('GET', '/api/sessions')).body

describe('one’s own sessions', () => {
  it('are listed with when, from where and with what, and the one that asks is known', async () => {
    const { id, ask, signsInWith } = await house.personWith('contact', [house.clients[0]])
    const answer = await house.app.inject({
      method: 'POST',
      url: '/api/session',
      payload: signsInWith,
      headers: { 'user-agent': `Mozilla/5.0 ${'x'.repeat(1000)}` },
    })
    expect(answer.statusCode).toBe(200)
    const found = await listed(ask)
    expect(found.map(({ isThis }) => isThis).filter(Boolean)).toHaveLength(1)
    const other = found.find(({ isThis }) => !isThis)!
    expect(other).toMatchObject({ address: '127.0.0.1' })
    expect(other.browser).toHaveLength(300)
    expect(other.expiresAt).toBeGreaterThan(Date.now())
    // A session is noted as used every few minutes, not with each request.
    const usedAt = async () =>
      (await rows<{ at: number }>(house.pool, 'select max(used_at) as at from session where person_id = $1', [id]))[0]!
        .at
    const before = await usedAt()
    await listed(ask)
    expect(await usedAt()).toBe(before)
    await house.pool.query(`update session set used_at = now() - interval '6 minutes' where person_id = $1`, [id])
    await listed(ask)
    expect(Date.now() - (await usedAt())).toBeLessThan(minute)
  })
  it('are ended one by one, or all but this one; nobody ends another’s', async () => {
    const one = await house.personWith('technician', null)
    const two = await house.personWith('technician', null)
    const again = async () => house.app.inject({ method: 'POST', url: '/api/session', payload: one.signsInWith })
    const second = await again()
    await again()
    const cookie = second.headers['set-cookie'] as string
    const asSecond = () =>
      house.app.inject({ method: 'GET', url: '/api/session', headers: { cookie: cookie.split(';')[0]! } })
    expect((await asSecond()).statusCode).toBe(200)
    const [mine] = (await listed(two.ask)).filter(({ isThis }) => isThis)
    expect((await one.ask('DELETE', `/api/sessions/${mine!.id}`)).status).toBe(404)
    expect((await two.ask('GET', '/api/session')).status).toBe(200)

    const others = (await listed(one.ask)).filter(({ isThis }) => !isThis)
    expect(others).toHaveLength(2)
    expect((await one.ask('DELETE', `/api/sessions/${others[0]!.id}`)).body).toEqual({ ended: 1 })
    expect((await one.ask('DELETE', `/api/sessions/${others[0]!.id}`)).status).toBe(404)
    expect((await one.ask('DELETE', '/api/sessions')).body).toEqual({ ended: 1 })
    expect((await asSecond()).statusCode).toBe(401)
    expect((await listed(one.ask)).map(({ isThis }) => isThis)).toEqual([true])
  })
  it('last half a day, or where somebody wants to stay as long as the house allows', async () => {
    const { signsInWith } = await house.personWith('technician', null)
    const lengths: number[] = []
    for (const stay of [false, true]) {
      const payload = { ...signsInWith, stay }
      const answer = await house.app.inject({ method: 'POST', url: '/api/session', payload })
      const [, seconds] = /Max-Age=(\d+)/.exec(answer.headers['set-cookie'] as string)!
      lengths.push(Number(seconds) / 3600)
    }
    const { body } = await house.lead<{ sessionDays: number }>('GET', '/api/house-policy')
    expect(lengths).toEqual([12, body.sessionDays * 24])
  })
})

it('everybody says how they are called, and the trail keeps how they were', async () => {
  const { id, ask } = await house.personWith('contact', [house.clients[0]])
  expect((await ask('PUT', '/api/session/name', { name: 'Odile Marrek-Vey' })).status).toBe(200)
  expect((await ask<{ name: string }>('GET', '/api/session')).body.name).toBe('Odile Marrek-Vey')
  expect((await ask('PUT', '/api/session/name', { name: ' ' })).status).toBe(400)
  const line = (
    await rows<{ detail: unknown }>(
      house.pool,
      `select detail from audit where object_id = $1 and action = 'changed'`,
      [id],
    )
  )[0]
  expect(line!.detail).toMatchObject({ name: 'Odile Marrek-Vey', was: { name: expect.any(String) as string } })
})
