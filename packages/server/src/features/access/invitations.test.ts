import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import type { HousePolicyView, InvitationSeen, Invited, Made, Person } from '#contract'
import { StandInMailServer } from '../../../../standins/src/messages/mailServer'
import { openHouse, throughProxy, type House } from '../../testing/house'

let house: House
const mail = new StandInMailServer()
beforeAll(async () => {
  house = await openHouse()
  const port = await mail.open()
  const sender = 'custode@lanternfield.example'
  await house.lead('PUT', '/api/ways/mail', { host: '127.0.0.1', port, security: 'none', username: '', sender })
})
afterAll(async () => {
  await house.close()
  await mail.close()
})
beforeEach(() => {
  mail.received.length = 0
  mail.mood = 'well'
})

let count = 0
async function invite() {
  const email = `new${++count}@lanternfield.example`
  const { id } = (
    await house.lead<Made>('POST', '/api/people', {
      email,
      name: 'Hamo Threlkeld',
      access: 'technician',
      clientIds: null,
    })
  ).body
  return { email, ...(await house.lead<Invited>('POST', `/api/people/${id}/invitation`)).body }
}
const secretIn = (text: string) => /\/invitation#(\S+)/.exec(text)![1]!
const take = (secret: string, password: string) => house.nobody('POST', '/api/invitations/take', { secret, password })
const signIn = (email: string, password: string) => house.nobody('POST', '/api/session', { email, password })

describe('an invitation', () => {
  it('is a link by mail, by which somebody chooses their password, once', async () => {
    const { email, isSent, link } = await invite()
    expect([isSent, link]).toEqual([true, null])
    expect(mail.received[0]!.to).toEqual([email])
    const secret = secretIn(mail.received[0]!.text)
    expect((await house.nobody<InvitationSeen>('POST', '/api/invitations/look', { secret })).body).toEqual({
      name: 'Hamo Threlkeld',
      email,
      isNew: true,
      passwordLength: 10,
    })
    expect((await take(secret, 'a ladder to the loft')).status).toBe(200)
    expect((await signIn(email, 'a ladder to the loft')).status).toBe(200)
    expect((await take(secret, 'another ladder there')).body.code).toBe('invitation-refused')
  })

  it('lets nobody in before a password was chosen, not with any', async () => {
    const { email } = await invite()
    for (const password of ['none', 'scrypt$$', 'a'.repeat(12)])
      expect((await signIn(email, password)).body.code).toBe('sign-in-refused')
  })

  it('expires; a newer one takes the place of an older; who is deactivated has none', async () => {
    const { id } = await invite()
    const first = secretIn(mail.received[0]!.text)
    await house.lead('POST', `/api/people/${id}/invitation`)
    const second = secretIn(mail.received[1]!.text)
    expect((await take(first, 'a ladder to the loft')).status).toBe(404)
    await house.pool.query('update invitation set expires_at = now()')
    expect((await take(second, 'a ladder to the loft')).status).toBe(404)
    await house.lead('POST', `/api/people/${id}/invitation`)
    await house.lead('PUT', `/api/people/${id}`, { active: false })
    expect((await take(secretIn(mail.received[2]!.text), 'a ladder to the loft')).status).toBe(404)
    expect((await house.lead('POST', `/api/people/${id}/invitation`)).status).toBe(400)
  })

  it('that could not be sent is for the lead to hand over; it stands nowhere else', async () => {
    mail.mood = 'refuses'
    const { isSent, link, answer } = await invite()
    expect([isSent, answer]).toEqual([false, expect.stringContaining('550')])
    const secret = secretIn(link!)
    const { rows } = await house.pool.query<{ all: string }>(
      `select concat(i.*::text, (select string_agg(a.detail::text, ' ') from audit a)) as all from invitation i`,
    )
    expect(JSON.stringify(rows)).not.toContain(secret)
    expect((await take(secret, 'a ladder to the loft')).status).toBe(200)
  })

  it('a password that guessers try first, or one that is too short, leaves the link as it is', async () => {
    await invite()
    const secret = secretIn(mail.received[0]!.text)
    for (const password of ['short', 'password123', '1234567890', 'aaaaaaaaaaaa', 'Qwertyuiop!'])
      expect([password, (await take(secret, password)).status]).toEqual([password, 400])
    expect((await take(secret, 'a ladder to the loft')).status).toBe(200)
  })
})

describe('who has forgotten their password', () => {
  it('asks for a link; whether there is such a person nobody learns, and their sessions end with the new one', async () => {
    const person = await house.personWith('technician', null)
    const heard = await house.nobody('POST', '/api/session/forgotten', { email: person.signsInWith.email })
    const unheard = await house.nobody('POST', '/api/session/forgotten', { email: 'nobody@lanternfield.example' })
    expect([heard.status, heard.body]).toEqual([unheard.status, unheard.body])
    await expect.poll(() => mail.received.length).toBe(1)
    const { text, subject } = mail.received[0]!
    expect(subject).toBe('A new password for Custode')
    // Until it is taken nothing has changed.
    expect((await person.ask('GET', '/api/session')).status).toBe(200)
    expect((await take(secretIn(text), 'two ladders to the loft')).status).toBe(200)
    expect((await person.ask('GET', '/api/session')).status).toBe(401)
  })

  it('is counted as whoever guesses', async () => {
    const statuses: number[] = []
    for (let i = 0; i < 12; i++) {
      const { statusCode } = await house.app.inject({
        method: 'POST',
        url: '/api/session/forgotten',
        payload: { email: 'many@lanternfield.example' },
        ...throughProxy('192.0.2.77'),
      })
      statuses.push(statusCode)
    }
    expect(statuses.slice(-2)).toEqual([429, 429])
  })
})

describe('what holds for everybody', () => {
  const set = (more: object = {}) =>
    house.lead<HousePolicyView>('PUT', '/api/house-policy', {
      secondFactor: 'none',
      sessionDays: 7,
      passwordLength: 10,
      ...more,
    })

  it('a second factor that is asked for: until it is set up nothing else is open', async () => {
    const person = await house.personWith('technician', null)
    expect((await person.ask('GET', '/api/devices')).status).toBe(200)
    const { body } = await set({ secondFactor: 'all' })
    expect(body.without).toBeGreaterThan(1)
    expect((await person.ask('GET', '/api/devices')).body.code).toBe('second-factor-due')
    expect((await person.ask('POST', '/api/alerts/acts', { ids: [1], do: 'take', text: '' })).status).toBe(403)
    expect((await person.ask<Person>('GET', '/api/session')).body.isFactorDue).toBe(true)
    expect((await person.ask('GET', '/api/second-factor')).status).toBe(200)
    await house.pool.query(`update house_policy set second_factor = 'leads'`)
    expect((await person.ask('GET', '/api/devices')).status).toBe(200)
    expect((await house.lead('GET', '/api/devices')).body.code).toBe('second-factor-due')
    await house.pool.query(`update house_policy set second_factor = 'none'`)
  })

  it('shorter sessions end sooner, those that are there, too', async () => {
    const person = await house.personWith('technician', null)
    await house.pool.query(`update session set created_at = now() - interval '2 days' where person_id = $1`, [
      person.id,
    ])
    expect((await person.ask('GET', '/api/session')).status).toBe(200)
    await set({ sessionDays: 1 })
    expect((await person.ask('GET', '/api/session')).status).toBe(401)
    await set()
  })

  it('longer passwords, for those that are chosen from then on; decided by a lead of all', async () => {
    await set({ passwordLength: 16 })
    const body = { email: 'long@lanternfield.example', name: 'x', access: 'technician', clientIds: null }
    expect((await house.lead('POST', '/api/people', { ...body, password: 'fifteen letters' })).status).toBe(400)
    expect((await house.lead('POST', '/api/people', { ...body, password: 'sixteen letters!' })).status).toBe(200)
    const limited = await house.personWith('lead', [house.clients[0]]).catch(() => null)
    await set()
    const one = limited ?? (await house.personWith('lead', [house.clients[0]]))
    expect(
      (await one.ask('PUT', '/api/house-policy', { secondFactor: 'none', sessionDays: 7, passwordLength: 10 })).status,
    ).toBe(403)
  })
})
