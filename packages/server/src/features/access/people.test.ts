import { connect, type AddressInfo, type Socket } from 'node:net'
import { setTimeout as wait } from 'node:timers/promises'
import { afterAll, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest'
import type { LiveEvent, PersonListed, WindowList } from '#contract'
import { openHouse, throughProxy, type Caller, type House } from '../../testing/house'

let house: House
beforeAll(async () => {
  house = await openHouse()
})
afterAll(() => house.close())
beforeEach(() => house.pool.query('delete from sign_in_attempt'))

const password = 'correct horse battery'
const signIn = (email: string, word = password, remoteAddress = '192.0.2.1') =>
  house.app.inject({
    method: 'POST',
    url: '/api/session',
    payload: { email, password: word },
    ...throughProxy(remoteAddress),
  })
const overTls = (cookie: string) => ({
  remoteAddress: '127.0.0.1',
  headers: { ...throughProxy('192.0.2.1').headers, cookie },
})
const signedIn = async (ask: Caller) => (await ask('GET', '/api/session')).status === 200
const emailOf = async (id: number) =>
  (await house.lead<PersonListed[]>('GET', '/api/people')).body.find((person) => person.id === id)!.email

describe('a person', () => {
  it('who is limited, or given other rights, is signed out in the same moment, and comes back with what they may see now', async () => {
    const { id, ask } = await house.personWith('technician', null)
    expect((await ask<unknown[]>('GET', '/api/clients')).body).toHaveLength(2)
    expect((await house.lead('PUT', `/api/people/${id}`, { clientIds: [house.clients[1]] })).status).toBe(200)
    expect(await signedIn(ask)).toBe(false)
    const cookie = String((await signIn(await emailOf(id))).headers['set-cookie']).split(';')[0]!
    expect((await house.app.inject({ url: '/api/clients', ...overTls(cookie) })).json<unknown[]>()).toHaveLength(1)
    // A new name ends nothing.
    await house.lead('PUT', `/api/people/${id}`, { name: 'Renamed' })
    expect((await house.app.inject({ url: '/api/session', ...overTls(cookie) })).statusCode).toBe(200)
  })

  it('who is deactivated cannot sign in, is signed out everywhere, and keeps their name on what they did', async () => {
    const { id, ask } = await house.personWith('technician', null)
    await ask('POST', '/api/windows', {
      name: 'Theirs',
      reason: '',
      target: { on: 'everyone' },
      subject: { of: 'all' },
      from: null,
      until: null,
    })
    const email = await emailOf(id)
    await house.lead('PUT', `/api/people/${id}`, { active: false })
    expect([await signedIn(ask), (await signIn(email)).statusCode]).toEqual([false, 401])
    const [window] = (await house.lead<WindowList>('GET', '/api/windows')).body.windows
    expect(window).toMatchObject({ name: 'Theirs', createdBy: email })
    await house.lead('PUT', `/api/people/${id}`, { active: true })
    expect((await signIn(email)).statusCode).toBe(200)
  })

  it('gets a new password by a lead, and changes the own one only by the one they have', async () => {
    const { id, ask } = await house.personWith('technician', null)
    const email = await emailOf(id)
    expect(
      (await ask('PUT', '/api/session/password', { current: 'a wrong guess', password: 'another horse battery' })).body,
    ).toMatchObject({ code: 'invalid', faults: [{ at: 'current', message: 'wrong' }] })
    const other = String((await signIn(email)).headers['set-cookie']).split(';')[0]!
    expect(
      (await ask('PUT', '/api/session/password', { current: password, password: 'another horse battery' })).status,
    ).toBe(200)
    // Here they stay, elsewhere they do not.
    expect([
      await signedIn(ask),
      (await house.app.inject({ url: '/api/session', ...overTls(other) })).statusCode,
    ]).toEqual([true, 401])
    expect([(await signIn(email)).statusCode, (await signIn(email, 'another horse battery')).statusCode]).toEqual([
      401, 200,
    ])
    expect((await house.lead('POST', `/api/people/${id}/password`, { password: 'given by the lead' })).status).toBe(200)
    expect([await signedIn(ask), (await signIn(email, 'given by the lead')).statusCode]).toEqual([false, 200])
  })

  it('does not change their own rights, and of two leads who demote each other at once one stays', async () => {
    const [one, two] = [await house.personWith('lead', null), await house.personWith('lead', null)]
    expect((await one.ask('PUT', `/api/people/${one.id}`, { access: 'technician' })).status).toBe(403)
    // There are no others for a moment.
    const first = (await house.lead<{ id: number }>('GET', '/api/session')).body.id
    await house.pool.query(`update person set access = 'technician' where id = $1`, [first])
    const answers = await Promise.all([
      one.ask('PUT', `/api/people/${two.id}`, { access: 'technician' }),
      two.ask('PUT', `/api/people/${one.id}`, { access: 'technician' }),
    ])
    await house.pool.query(`update person set access = 'lead' where id = $1`, [first])
    // The other comes too late to the sign-in, or to the lock: either way it is not done.
    expect(answers.filter((answer) => answer.status === 200)).toHaveLength(1)
    expect(answers.some((answer) => [401, 403].includes(answer.status))).toBe(true)
  })

  it('whose rights went while their request waited makes nobody', async () => {
    const { id, ask } = await house.personWith('lead', null)
    const holding = await house.pool.connect()
    await holding.query('begin; select pg_advisory_xact_lock(3)')
    const adding = ask('POST', '/api/people', {
      email: 'late@lanternfield.example',
      name: 'Late',
      password,
      access: 'lead',
      clientIds: null,
    })
    await vi.waitFor(
      async () => {
        expect(
          (await house.pool.query(`select from pg_locks where locktype = 'advisory' and not granted`)).rowCount,
        ).toBe(1)
      },
      { timeout: 20_000 },
    )
    await house.pool.query(`update person set access = 'technician' where id = $1`, [id])
    await holding.query('commit')
    holding.release()
    expect((await adding).status).toBe(403)
    expect((await signIn('late@lanternfield.example')).statusCode).toBe(401)
  })

  it('of a limited lead sees no more than the lead does', async () => {
    const { ask } = await house.personWith('lead', [house.clients[1]])
    const listed = (await ask<PersonListed[]>('GET', '/api/people')).body
    expect(
      listed.every((person) => person.clientIds === null || person.clientIds.every((id) => id === house.clients[1])),
    ).toBe(true)
    const someone = (await house.personWith('technician', null)).id
    expect((await ask('PUT', `/api/people/${someone}`, { active: false })).status).toBe(404)
  })
})

describe('a crowd of guesses', () => {
  it('is counted before each is tried: no more than ten are, however many come at once, and reports are taken all the while', async () => {
    const agent = await house.enrol(house.sites[0], 'tm-meanwhile-1')
    const { id } = await house.personWith('technician', null)
    const email = await emailOf(id)
    await house.pool.query('delete from sign_in_attempt')
    let answered = 0
    const guesses = Array.from({ length: 60 }, (_, i) =>
      signIn(email, `guess ${i}`, `192.0.2.${i % 200}`).then((response) => {
        answered++
        return response.statusCode
      }),
    )
    expect((await agent.send([agent.report(1)])).status).toBe(200)
    const triedBefore = answered
    const statuses = await Promise.all(guesses)
    const tried = statuses.filter((status) => status === 401).length
    expect([tried <= 10, statuses.filter((status) => status === 429).length + tried]).toEqual([true, 60])
    expect(tried).toBeGreaterThan(0)
    // The report did not wait for the last of them.
    expect(triedBefore).toBeLessThan(60)
    expect((await signIn(email)).statusCode).toBe(429)
  })
  it('that finds too many before it is told so, and what was not tried counts against nobody', async () => {
    const statuses = await Promise.all(
      Array.from({ length: 40 }, (_, i) =>
        signIn(`somebody${i}@lanternfield.example`, 'x', `198.51.100.${i}`).then((response) => response.statusCode),
      ),
    )
    const counted = (await house.pool.query(`select from sign_in_attempt`)).rowCount
    expect([
      statuses.filter((status) => status === 401).length,
      statuses.filter((status) => status === 429).length,
    ]).toEqual([counted, 40 - counted!])
    expect(counted).toBeLessThan(40)
  })
  it('at many accounts from one address ends, too, and at the own password as at the sign-in', async () => {
    const failed = (count: number, email: string, address: string) =>
      house.pool.query(
        'insert into sign_in_attempt (email, address) select $2 || n, $3 from generate_series(1, $1) n',
        [count, email, address],
      )
    await failed(29, 'nobody', '192.0.2.77')
    expect([
      (await signIn('x@lanternfield.example', 'x', '192.0.2.77')).statusCode,
      (await signIn('y@lanternfield.example', 'x', '192.0.2.77')).statusCode,
    ]).toEqual([401, 429])
    const { id, ask } = await house.personWith('technician', null)
    await house.pool.query('insert into sign_in_attempt (email, address) select $1, $2 from generate_series(1, 9)', [
      await emailOf(id),
      '192.0.2.1',
    ])
    const guess = async () =>
      (await ask('PUT', '/api/session/password', { current: 'a guess', password: 'another horse battery' })).status
    expect([await guess(), await guess()]).toEqual([400, 429])
  })
})

describe('a live connection', () => {
  let port: number
  const sockets: Socket[] = []
  afterAll(() => {
    for (const socket of sockets) socket.destroy()
  })
  beforeAll(async () => {
    await house.app.listen({ port: 0, host: '127.0.0.1' })
    port = (house.app.server.address() as AddressInfo).port
  })
  const open = async (cookie: string): Promise<{ socket: Socket; said: () => string; closed: () => boolean }> => {
    const socket = connect(port, '127.0.0.1')
    sockets.push(socket)
    let said = ''
    let isClosed = false
    socket
      .on('data', (chunk: Buffer) => {
        said += chunk.toString()
      })
      .on('close', () => {
        isClosed = true
      })
      .on('error', () => undefined)
    socket.write(`GET /api/live HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: ${cookie}\r\n\r\n`)
    await vi.waitFor(
      () => {
        expect(said).toContain('retry: 1000')
      },
      { timeout: 20_000 },
    )
    return { socket, said: () => said, closed: () => isClosed }
  }
  const announceMany = (count: number) =>
    house.pool.query(
      `select pg_notify('custode_live',
       json_build_object('topic', 'estate', 'clientIds', null, 'deviceIds',
       array(select generate_series(100000, 100900)), 'n', n)::text) from generate_series(1, $1) n`,
      [count],
    )

  it('of whoever stops reading is cut off; nobody else’s is, and the server goes on', async () => {
    const { cookie } = await house.personWith('technician', null)
    const slow = await open(cookie)
    const good = await open(cookie)
    slow.socket.pause()
    const connections = () =>
      new Promise<number>((resolve, reject) => {
        house.app.server.getConnections((error, count) => {
          if (error) reject(error)
          else resolve(count)
        })
      })
    const before = await connections()
    for (let i = 0; i < 60 && (await connections()) === before; i++) {
      await announceMany(200)
      await wait(50)
    }
    await vi.waitFor(
      async () => {
        expect(await connections()).toBe(before - 1)
      },
      { timeout: 20_000 },
    )
    expect(good.closed()).toBe(false)
    expect(await signedIn(house.lead)).toBe(true)
    slow.socket.destroy()
    good.socket.destroy()
  }, 180_000)

  it('ends with the rights of whoever has it', async () => {
    const { id, cookie } = await house.personWith('technician', null)
    const live = await open(cookie)
    await house.lead('PUT', `/api/people/${id}`, { active: false })
    // The last chunk (RFC 9112, section 7.1): a browser then comes back, and is asked who it is.
    await vi.waitFor(() => {
      expect(live.said()).toMatch(/\r\n0\r\n\r\n$/)
    }, 15_000)
  })

  it('of whoever is limited says which devices of theirs changed and nothing of other clients', async () => {
    const { cookie } = await house.personWith('technician', [house.clients[1]])
    const live = await open(cookie)
    const other = await house.enrol(house.sites[0], 'tm-live')
    const own = await house.enrol(house.sites[1], 'bb-live')
    const announced = (topic: string, clientIds: number[], deviceIds: number[]) =>
      house.pool.query(`select pg_notify('custode_live', $1)`, [JSON.stringify({ topic, clientIds, deviceIds })])
    const said = () => [...live.said().matchAll(/data: (.*)/g)].map((match) => JSON.parse(match[1]!) as LiveEvent)
    await vi.waitFor(() => expect(said().length).toBeGreaterThan(0), { timeout: 20_000 })
    const before = said().length
    await announced('alerts', [house.clients[0]], [other.id])
    // Both clients of one moment, but only devices of the other.
    await announced('reports', [...house.clients], [other.id])
    await announced('reports', [...house.clients], [other.id, own.id])
    // A device may have left them with this very change.
    await announced('estate', [...house.clients], [other.id])
    await vi.waitFor(() => expect(said().some((event) => event.topic === 'reports')).toBe(true), { timeout: 20_000 })
    await vi.waitFor(
      () =>
        expect(
          said()
            .slice(before)
            .filter((event) => event.topic === 'estate'),
        ).not.toEqual([]),
      { timeout: 20_000 },
    )
    expect(said().filter((event) => event.topic !== 'estate')).toEqual([
      { topic: 'reports', clientIds: null, deviceIds: [own.id] },
    ])
    expect(said().every((event) => event.clientIds === null)).toBe(true)
  })

  it('that breaks off while something is announced breaks nothing', async () => {
    const { cookie } = await house.personWith('technician', null)
    for (let i = 0; i < 20; i++) {
      const { socket } = await open(cookie)
      const announced = announceMany(5)
      socket.resetAndDestroy()
      await announced
    }
    expect(await signedIn(house.lead)).toBe(true)
  })
})
