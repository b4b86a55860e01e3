import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { AlertsAct, AlertView, BoardPage, Lanes, Rounds, WindowList } from '#contract'
import { day, hour, type Millis, type Service, type Updates } from '#core'
import { inTransaction, readAsOf, rows, time, tookTooLong } from '../db'
import { assignFromLibrary, openHouse, type Agent, type House } from '../testing/house'

let house: House
let cookie: string
let agents: Agent[]
let colleague: { id: number; cookie: string }
const since = Date.now()
beforeAll(async () => {
  house = await openHouse()
  ;({ cookie } = await house.personWith('lead', null))
  colleague = await house.personWith('technician', null)
  await assignFromLibrary(house, 'Base server')
  agents = []
  for (const name of ['tm-past-1', 'tm-past-2']) agents.push(await house.enrol(house.sites[0], name))
  for (const agent of agents) {
    await agent.send([agent.report(1, orders('running')), agent.report(2, orders('stopped')), agent.report(4)])
    await agent.send([agent.report(30, { facts: { updates: waiting(3) } })])
  }
})
afterAll(() => house.close())

const orders = (state: Service['state']) => ({
  facts: { services: [{ name: 'orders', title: 'orders', start: 'automatic', state } as Service] },
})
const waiting = (security: number): Updates => ({
  security,
  other: 1,
  leftover: 0,
  names: Array.from({ length: security }, (_, i) => `lib${i}`),
  oldestSecurityAt: security ? since - 9 * day : null,
  oldestOtherAt: since - 9 * day,
  restartPending: false,
  checkedAt: since - hour,
  listsAt: since - hour,
})

async function ask<T>(url: string, at?: Millis, by = cookie): Promise<T> {
  const response = await house.app.inject({
    url,
    headers: { cookie: by, ...(at === undefined ? {} : { 'accept-datetime': new Date(at).toISOString() }) },
  })
  expect(response.statusCode, `${url} ${response.body.slice(0, 300)}`).toBe(200)
  return response.json<T>()
}

/** What is not kept of the past, or is of whoever looks, is left out; evidence is that of the last change of level. */
const notKept = new Set([
  'evidence',
  'interval',
  'heardAt',
  'readAt',
  'lookedAt',
  'since',
  'fresh',
  'sentAt',
  'confirmedAt',
  'actions',
  'now',
  'refused',
])
const told = (value: unknown): unknown =>
  JSON.parse(JSON.stringify(value, (key, part: unknown) => (notKept.has(key) ? undefined : part)))

const pages = () => [
  '/api/rounds?limit=100',
  '/api/devices?order=name',
  `/api/lanes?from=${since - hour}&until=${since + 3 * day}`,
  '/api/windows',
  '/api/log',
  '/api/log/groups',
  ...agents.flatMap(({ id }) =>
    ['', '/roster', '/alerts', '/held', '/windows', '/remediations'].map((part) => `/api/devices/${id}${part}`),
  ),
]
/** Times of entries are of this process and those of columns of the database: they differ by the way between them. */
async function all(at?: Millis): Promise<unknown[]> {
  const found: unknown[] = []
  for (const url of pages()) found.push([url, told(await ask(url, at))])
  return found
}
const near = (found: unknown, wanted: unknown): unknown => {
  if (typeof found === 'number' && typeof wanted === 'number')
    return found > since - day && Math.abs(found - wanted) < 2000 ? wanted : found
  if (Array.isArray(found)) return found.map((part, i) => near(part, (wanted as unknown[] | undefined)?.[i]))
  if (found === null || typeof found !== 'object') return found
  const other = (wanted ?? {}) as Record<string, unknown>
  return Object.fromEntries(Object.entries(found).map(([key, part]) => [key, near(part, other[key])]))
}

const untilAfter = async (time: Millis) => {
  while (Date.now() <= time) await new Promise((resolve) => setImmediate(resolve))
}

/** Evidence that was told before the run. */
const known = new Set<string | undefined>()

type Step = [what: (typeof steps)[number], which: number]
const steps = [
  'take',
  'give-back',
  'hand-over',
  'hide',
  'show',
  'follow-up',
  'note',
  'close',
  'reopen',
  'tag',
  'move',
  'rename',
  'depend',
  'route',
  'updates',
  'window',
  'end window',
  'exception',
] as const
let made = 0

/** One of many things that people and agents do; what is refused has changed nothing, which is as good. */
async function carryOut([what, which]: Step): Promise<void> {
  const agent = agents[which % agents.length]!
  const device = `/api/devices/${agent.id}`
  switch (what) {
    case 'tag':
      return void (await house.lead('PUT', device, { tags: which % 2 ? ['lab'] : [] }))
    case 'move':
      return void (await house.lead('PUT', device, { siteId: house.sites[which > 2 ? 1 : 0] }))
    case 'rename':
      return void (await house.lead('PUT', device, { name: `tm-past-${agent.id}-${++made}` }))
    case 'depend': {
      const other = agents[(which + 1) % agents.length]!.id
      const dependsOn = ([other, 'nothing', 'routes'] as const)[which % 3]
      return void (await house.lead('PUT', device, { dependsOn }))
    }
    case 'route': {
      const gateways = which % 2 ? ['192.0.2.9'] : []
      return void (await agent.send([{ ...agent.report(0, { facts: { gateways } }), at: Date.now() }]))
    }
    case 'updates':
      return void (await agent.send([{ ...agent.report(0, { facts: { updates: waiting(which) } }), at: Date.now() }]))
    case 'window':
      return void (await house.lead('POST', '/api/windows', {
        name: `Work ${++made}`,
        reason: '',
        target: { on: 'devices', deviceIds: [agent.id] },
        subject: { on: 'all' },
        zone: 'Europe/Lisbon',
        starts: new Date(Date.now() + hour).toISOString().slice(0, 16),
        length: hour,
        rule: which % 2 ? 'FREQ=DAILY' : null,
      }))
    case 'end window': {
      const { windows } = await ask<WindowList>('/api/windows')
      const window = windows[which % Math.max(1, windows.length)]
      return void (window && (await house.lead('POST', `/api/windows/${window.id}/end`, { why: 'done' })))
    }
    case 'exception':
      return void (await house.lead('POST', '/api/exceptions', {
        target: { on: 'devices', deviceIds: [agent.id] },
        watch: 'clock',
        values: {},
        leftOut: true,
        reason: `No. ${++made}`,
        ownerId: null,
        reviewAt: null,
      }))
    default: {
      const [alert] = await ask<AlertView[]>(`${device}/alerts`)
      const act: AlertsAct = {
        ids: [alert!.id],
        do: what,
        text: `word ${which}`,
        ...(what === 'hand-over' ? { personId: colleague.id } : {}),
        ...(what === 'hide' || what === 'follow-up' ? { until: Date.now() + hour } : {}),
      }
      return void (await (which % 2 ? house.lead : house.technician)('POST', '/api/alerts/acts', act))
    }
  }
}

describe('as of a time', () => {
  it('everybody reads what they would have read then, whatever was done since', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.constantFrom(...steps), fc.nat(5)), { minLength: 6, maxLength: 10 }),
        async (acts) => {
          const seen: { at: Millis; after: Step | null; found: unknown[] }[] = []
          const evidence = async (at?: Millis) =>
            (await ask<AlertView[]>(`/api/devices/${agents[0]!.id}/alerts`, at)).map((alert) => alert.evidence?.text)
          for (const text of await evidence()) known.add(text)
          const toldMeanwhile = new Set<string | undefined>()
          for (const step of [null, ...acts]) {
            // Nobody falls silent, however long the way of all this is.
            for (const agent of agents) await agent.send([{ ...agent.report(0), at: Date.now() }])
            if (step) await carryOut(step)
            for (const text of await evidence()) toldMeanwhile.add(text)
            const found = await all()
            const at = Date.now()
            seen.push({ at, after: step, found })
            await untilAfter(at)
          }
          for (const { at, after, found } of seen)
            expect({ after, acts, found: near(await all(at), found) }).toEqual({ after, acts, found })
          // What was told of a post by then, and nothing of later.
          const first = await evidence(seen[0]!.at)
          for (const text of first) expect([...known]).toContain(text)
          // What an alert was raised by may be told no more when the next run begins.
          for (const text of toldMeanwhile) known.add(text)
        },
      ),
      // To make it smaller takes longer than a test may, and then nobody hears what failed.
      { numRuns: 3, endOnFailure: true },
    )
  }, 240_000)
})

describe('a request as of a time', () => {
  const at = (text: string) => ({ cookie, 'accept-datetime': text })
  it('says as of when it is answered, and that the answer depends on it (RFC 7089, section 2.1)', async () => {
    const asked = new Date(Math.floor(Date.now() / 1000 - 60) * 1000).toUTCString()
    const { statusCode, headers } = await house.app.inject({ url: '/api/rounds', headers: at(asked) })
    expect([statusCode, headers['memento-datetime'], headers.vary]).toEqual([200, asked, 'accept-datetime'])
    expect((await house.app.inject({ url: '/api/rounds', headers: { cookie } })).headers).not.toHaveProperty(
      'memento-datetime',
    )
  })
  it.each([
    ['that is none', 'yesterday', 'Write the time'],
    ['to come', new Date(Date.now() + hour).toUTCString(), 'Choose a time that is over'],
    ['before 1970', 'Wed, 31 Dec 1969 10:00:00 GMT', 'Write the time'],
    ['that no date has', '+275760-09-13T00:00:01Z', 'Write the time'],
  ])('%s is refused with a sentence', async (_, text, sentence) => {
    const response = await house.app.inject({ url: '/api/rounds', headers: at(text) })
    expect(response.statusCode).toBe(400)
    expect(response.json<{ detail: string }>().detail).toContain(sentence)
  })
  it('before there was anything finds nothing', async () => {
    const headers = at('Thu, 01 Jan 1970 00:00:00 GMT')
    const rounds = await house.app.inject({ url: '/api/rounds', headers })
    expect(rounds.json<{ todo: { total: number } }>().todo.total).toBe(0)
    expect((await house.app.inject({ url: `/api/devices/${agents[0]!.id}`, headers })).statusCode).toBe(404)
  })
  it('changes nothing, whatever it is', async () => {
    const device = agents[0]!.id
    const headers = { ...at(new Date(Date.now() - 60_000).toUTCString()), 'content-type': 'application/json' }
    const [alert] = await ask<AlertView[]>(`/api/devices/${device}/alerts`)
    for (const [method, url, payload] of [
      ['POST', '/api/alerts/acts', { ids: [alert!.id], do: 'note', text: 'from the past' }],
      ['PUT', `/api/devices/${device}`, { tags: ['past'] }],
      ['POST', '/api/rounds/looked', {}],
    ] as const) {
      const response = await house.app.inject({ method, url, headers, payload })
      expect([response.statusCode, response.json<{ code: string }>().code]).toEqual([409, 'looking-back'])
    }
    await expect(
      readAsOf(house.pool, Date.now() - 1000, (db) => db.query(`update public.device set name = 'no'`)),
    ).rejects.toThrow('read-only')
  })
  it('says since when anything is kept, to each of their own clients', async () => {
    const { body } = await house.lead<{ since: Millis }>('GET', '/api/past')
    expect(Math.abs(body.since - agents[0]!.at(1))).toBeLessThan(hour)
    // Of a client without a device there is nothing yet.
    const made = (await house.lead<{ id: number }>('POST', '/api/clients', { name: 'Alder & Pike Timber', code: 'ap' }))
      .body
    const other = await house.personWith('technician', [made.id])
    expect((await other.ask<{ since: Millis }>('GET', '/api/past')).body.since).toBeGreaterThan(since)
  })
  it('takes a few connections at most, and none for longer than it may', async () => {
    let [now, most] = [0, 0]
    await Promise.all(
      Array.from({ length: 9 }, () =>
        readAsOf(house.pool, since, async (db) => {
          most = Math.max(most, ++now)
          await rows(db, 'select pg_sleep(0.02)')
          now--
        }),
      ),
    )
    expect([now, most]).toEqual([0, 3])
    const late = readAsOf(house.pool, since, async (db) => {
      await rows(db, `select set_config('statement_timeout', '30', true)`)
      await rows(db, 'select pg_sleep(5)')
    })
    await expect(late.catch(tookTooLong)).resolves.toBe(true)
  })
  it('leaves the connection as it was', async () => {
    for (let i = 0; i < 12; i++) await readAsOf(house.pool, since, (db) => rows(db, 'select now()'))
    await expect(readAsOf(house.pool, since, () => Promise.reject(new Error('no')))).rejects.toThrow('no')
    const found = await Promise.all(
      Array.from({ length: 12 }, () => rows<{ at: number }>(house.pool, 'select now() as at from device limit 1')),
    )
    for (const [row] of found) expect(row!.at).toBeGreaterThan(since)
  })
})

it('of whose device it was then is told to them, and to nobody else', async () => {
  const agent = await house.enrol(house.sites[0], 'tm-moves')
  await agent.send([agent.report(1, orders('running')), agent.report(2, orders('stopped')), agent.report(4)])
  const [one, two] = [
    await house.personWith('technician', [house.clients[0]]),
    await house.personWith('technician', [house.clients[1]]),
  ]
  const before = Date.now()
  await untilAfter(before + 1)
  expect((await house.lead('PUT', `/api/devices/${agent.id}`, { siteId: house.sites[1] })).status).toBe(200)
  await untilAfter(Date.now())
  const seen = async (who: { cookie: string }, at?: Millis) => {
    const names = (await ask<BoardPage>('/api/devices', at, who.cookie)).devices.map(({ name }) => name)
    const alerts = (await ask<Rounds>('/api/rounds', at, who.cookie)).todo.rows.map(({ deviceName }) => deviceName)
    return [names.includes('tm-moves'), alerts.includes('tm-moves')]
  }
  expect(await Promise.all([seen(one, before), seen(two, before)])).toEqual([
    [true, true],
    [false, false],
  ])
  expect(await Promise.all([seen(one), seen(two)])).toEqual([
    [false, false],
    [true, true],
  ])
})

it('times of a window that were written down and dropped again since are not among those of then', async () => {
  const made = await house.lead<{ id: number }>('POST', '/api/windows', {
    name: 'Changed twice',
    reason: '',
    target: { on: 'client', clientId: house.clients[0] },
    subject: { of: 'all' },
    from: since + 5 * hour,
    until: since + 6 * hour,
  })
  const spans = async (at?: Millis) => {
    const { lanes } = await ask<Lanes>(`/api/lanes?from=${since}&until=${since + day}`, at)
    return lanes.flatMap((lane) => lane.spans.filter(({ name }) => name === 'Changed twice').map(({ from }) => from))
  }
  const before = Date.now()
  expect(await spans()).toEqual([since + 5 * hour])
  await untilAfter(before + 2)
  for (const later of [7, 9])
    await inTransaction(house.pool, async (tx) => {
      await tx.query(
        `insert into window_revision select (jsonb_populate_record(r, jsonb_build_object('revision', r.revision + 1,
           'saved_at', now()))).* from window_revision r where id = $1 order by revision desc limit 1`,
        [made.body.id],
      )
      await tx.query('delete from window_occurrence where window_id = $1', [made.body.id])
      await tx.query('insert into window_occurrence (window_id, start, from_at, until_at) values ($1, $2, $2, $3)', [
        made.body.id,
        time(since + later * hour),
        time(since + (later + 1) * hour),
      ])
    })
  expect([await spans(), await spans(before)]).toEqual([[since + 9 * hour], [since + 5 * hour]])
})

it('one device that reported twice within a month costs no other its place on the board', async () => {
  const agent = await house.enrol(house.sites[0], 'tm-seldom')
  const sent = await agent.send([
    { ...agent.report(0), at: Date.now() - 12 * day },
    { ...agent.report(0), at: Date.now() - 1000 },
  ])
  expect([sent.status, sent.body.refused]).toEqual([200, []])
  const names = (await ask<BoardPage>('/api/devices', Date.now())).devices.map(({ name }) => name)
  expect(names).toContain('tm-seldom')
})

it('relations of the past have the columns of those of now', async () => {
  const columns = await rows<{ name: string; now: string | null; past: string | null }>(
    house.pool,
    `
    select coalesce(n.name, p.name) as name, n.type as now, p.type as past
    from (select table_name || '.' || column_name as name, udt_name as type from information_schema.columns
      where table_schema = 'public' and table_name in (
        select table_name from information_schema.views where table_schema = 'past')) n
    full join (select table_name || '.' || column_name as name, udt_name as type from information_schema.columns
      where table_schema = 'past') p on p.name = n.name
    order by 1`,
  )
  expect(columns.length).toBeGreaterThan(100)
  expect(columns.filter(({ now, past }) => now !== past)).toEqual([])
})
