import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { Impact, LogEntry, LogGroups, LogMatches, LogPage, LogVolumes } from '#contract'
import { day, hour, logLevels, matchesLogFilter, minute, type LogEvent, type LogFilter, type WatchSpec } from '#core'
import { firstRow } from '../../db'
import { openHouse, type Agent, type House } from '../../testing/house'

let house: House
/** Two of one client, and one of another. */
let agents: Agent[]
const events: LogEvent[][] = [[], [], []]
const now = Date.now()

/** The same numbers in every run (Lehmer, 1951; the multiplier of Park and Miller, 1988; from memory). */
let seed = 20261130
const random = (below: number) => (seed = (seed * 48271) % 2147483647) % below
const oneOf = <T>(list: readonly T[]): T => list[random(list.length)]!

const texts = [
  'Accepted for jo from 192.0.2.7 port 50022',
  'Accepted for jo from 192.0.2.71 port 5002',
  'job 12 done, 100% of it',
  'job 3 done, 7% of it',
  'a_b is not axb',
  'ticket #7 is open',
  '5 stars **',
  'back\\slash 12a3b',
  'Größe der Datei: 4711',
  '',
]
const entry = (at: number): LogEvent => ({
  at,
  channel: oneOf(['journal', 'auth.log', 'System']),
  source: oneOf(['sshd', 'SSHD', 'cron', 'a%b', 'disk_1']),
  id: oneOf([null, null, 7001, 7]),
  level: oneOf(logLevels),
  text: oneOf(texts),
})

const page = async (query = '', ask = house.lead) => (await ask<LogPage>('GET', `/api/log?${query}`)).body
const groups = async (query = '', ask = house.lead) => (await ask<LogGroups>('GET', `/api/log/groups?${query}`)).body
const matches = async (query = '', ask = house.lead) => (await ask<LogMatches>('GET', `/api/log/matches?${query}`)).body

async function wholly(query: string, limit = 7): Promise<LogEntry[]> {
  const found: LogEntry[] = []
  for (let after = ''; ;) {
    const part = await page(`${query}&limit=${limit}${after}`)
    found.push(...part.entries)
    if (part.next === null) return found
    after = `&after=${part.next}`
  }
}

beforeAll(async () => {
  house = await openHouse()
  agents = [
    await house.enrol(house.sites[0], 'tm-log-1'),
    await house.enrol(house.sites[0], 'tm-log-2'),
    await house.enrol(house.sites[1], 'bb-log-1'),
  ]
  for (const [i, agent] of agents.entries()) {
    // Some of one moment, some within the hour, some of weeks ago.
    const times = [
      ...Array.from({ length: 20 }, () => now - minute),
      ...Array.from({ length: 20 }, (_, n) => now - n * minute),
    ]
    times.push(...Array.from({ length: 20 }, (_, n) => now - n * 1.2 * day - hour))
    events[i] = times.map(entry)
    expect((await agent.send([{ ...agent.report(1, { events: events[i]! }), at: now }])).status).toBe(200)
  }
})
afterAll(() => house.close())

const open: LogFilter = { channel: '', source: '', id: null, level: '', text: '' }
const queryOf = ({ channel, source, id, level, text }: LogFilter) =>
  new URLSearchParams({
    channel,
    source,
    ...(id === null ? {} : { id: String(id) }),
    ...(level ? { level } : {}),
    text,
  }).toString()
const said = (event: Pick<LogEvent, 'at' | 'channel' | 'source' | 'id' | 'level' | 'text'>) =>
  JSON.stringify([event.at, event.channel, event.source, event.id, event.level, event.text])

describe('the log of everyone', () => {
  it('is told newest first to its last entry in parts, also where many are of the same moment', async () => {
    const found = await wholly('')
    expect(found.map(said).sort()).toEqual(events.flat().map(said).sort())
    expect(new Set(found.map(({ key }) => key)).size).toBe(found.length)
    expect(found.map(({ at }) => at)).toEqual(found.map(({ at }) => at).sort((a, b) => b - a))
    expect(found[0]).toMatchObject({ deviceId: expect.any(Number) as number, fields: null })
  })
  it.each<Partial<LogFilter>>([
    {},
    { text: 'jo' },
    { text: 'accepted*port 5002' },
    { text: '50022' },
    { text: '192.0.2.7 port' },
    { text: '192.0.2.71' },
    { text: '2.7?' },
    { text: '1*2' },
    { text: '12' },
    { text: '%' },
    { text: '100% of' },
    { text: 'a_b' },
    { text: '#' },
    { text: '#7' },
    { text: '**' },
    { text: '?' },
    { text: 'back\\slash 12a3' },
    { text: 'größe' },
    { text: '4711' },
    { text: 'nowhere' },
    { source: 'sshd' },
    { source: 'ss*' },
    { source: 'a%b' },
    { source: 'disk?1' },
    { source: 'ssh' },
    { channel: 'auth.*', level: 'warning' },
    { level: 'emergency' },
    { level: 'debug' },
    { id: 7 },
    { id: 7001, text: 'done' },
    { channel: 'System', source: 'cron', level: 'error', text: 'job' },
  ])('finds what a watch would match, and nothing else: %j', async (part) => {
    const filter = { ...open, ...part }
    const meant = events.flat().filter((event) => matchesLogFilter(filter, event))
    expect((await wholly(queryOf(filter), 100)).map(said).sort()).toEqual(meant.map(said).sort())
    expect((await groups(queryOf(filter))).total).toBe(meant.length)
    const recent = meant.filter(({ at }) => at >= now - 14 * day)
    expect((await matches(queryOf(filter))).total).toBe(recent.length)
    // By the log of one device alone, which is read by other means.
    const own = events[0]!.filter((event) => matchesLogFilter(filter, event))
    expect((await wholly(`device=${agents[0]!.id}&${queryOf(filter)}`, 100)).map(said).sort()).toEqual(
      own.map(said).sort(),
    )
  })
  it('finds a random part of a text again by its own words', async () => {
    for (let i = 0; i < 60; i++) {
      const { text } = oneOf(events.flat())
      const from = random(Math.max(1, text.length - 3))
      const part = text.slice(from, from + 1 + random(12)).trim()
      const meant = events.flat().filter((event) => matchesLogFilter({ ...open, text: part }, event))
      expect([part, (await groups(queryOf({ ...open, text: part }))).total]).toEqual([part, meant.length])
    }
  })
  it('is bounded by times', async () => {
    const [from, until] = [now - 10 * day, now - 2 * day]
    const meant = events.flat().filter(({ at }) => at >= from && at < until)
    expect((await wholly(`from=${from}&until=${until}`)).map(said).sort()).toEqual(meant.map(said).sort())
  })
  it('refuses what is no place in it, no level, and too much at once', async () => {
    const forged = (key: unknown[]) => Buffer.from(JSON.stringify(key)).toString('base64url')
    for (const query of [
      'after=nowhere',
      `after=${forged([1e300, 1, 1, 1])}`,
      `after=${forged([1, 1.5, 1, 1])}`,
      `after=${forged([1, 1, 2.5, 1])}`,
      'level=bad',
      'limit=501',
      'id=-1',
    ])
      expect([query, (await house.lead('GET', `/api/log?${query}`)).status]).toEqual([query, 400])
    expect((await house.lead('GET', '/api/log?device=999')).status).toBe(404)
  })
})

describe('repeats', () => {
  it('are one group with their number, whatever the numbers in them', async () => {
    const { groups: found, groupCount } = await groups('text=accepted')
    expect(found.every(({ text }) => text === 'Accepted for jo from #.#.#.# port #')).toBe(true)
    expect(groupCount).toBe(found.length)
    const meant = events.flat().filter(({ text }) => text.startsWith('Accepted'))
    expect(found.reduce((sum, { entries }) => sum + entries, 0)).toBe(meant.length)
    const [first] = found
    const same = meant.filter(
      ({ channel, source, id, level }) =>
        channel === first!.channel && source === first!.source && id === first!.id && level === first!.level,
    )
    expect(first).toMatchObject({
      entries: same.length,
      firstAt: Math.min(...same.map(({ at }) => at)),
      lastAt: Math.max(...same.map(({ at }) => at)),
    })
  })
  it('of more than are counted say since when they were, and that there are more', async () => {
    const loud = await house.enrol(house.sites[0], 'tm-loud')
    await house.pool.query(
      `insert into log_event (device_id, at, seq, n, channel, source, event_id, level, text, shape)
       select $1, $2::timestamptz - n * interval '1 second', 9, n, 'journal', 'loud', null, 6, 'again ' || n, log_shape_id('journal', 'loud', null, 6::smallint, 'again #')
       from generate_series(1, 10050) n`,
      [loud.id, new Date(now)],
    )
    await house.pool.query(
      `insert into log_shape values (log_shape_id('journal', 'loud', null, 6::smallint, 'again #'), 'journal', 'loud', null, 6, 'again #', current_date)`,
    )
    expect(await groups('source=loud')).toEqual({
      total: 10_000,
      isMore: true,
      since: now - 10_000_000,
      groupCount: 1,
      groups: [
        {
          ...{ channel: 'journal', source: 'loud', id: null, level: 'informational', text: 'again #' },
          ...{ entries: 10_000, devices: 1, firstAt: now - 10_000_000, lastAt: now - 1000 },
        },
      ],
    })
    await house.lead('POST', `/api/devices/${loud.id}/retire`, {})
    // Of one that is out of use nothing is found any more.
    for (const query of ['source=loud', `source=loud&client=${house.clients[0]}`])
      expect([query, (await groups(query)).total]).toEqual([query, 0])
    expect((await page('source=loud')).entries).toEqual([])
    expect((await house.lead('GET', `/api/log?device=${loud.id}`)).status).toBe(404)
  })
})

describe('how often a watch would have matched', () => {
  it('is told by day and device, for 14 days', async () => {
    const found = await matches('source=cron')
    const meant = events.map((list) => list.filter(({ source, at }) => source === 'cron' && at >= now - 14 * day))
    expect(found.total).toBe(meant.flat().length)
    expect(Object.fromEntries(found.devices.map(({ deviceId, entries }) => [deviceId, entries]))).toEqual(
      Object.fromEntries(agents.map(({ id }, i) => [id, meant[i]!.length]).filter(([, count]) => count)),
    )
    expect(found.deviceCount).toBe(found.devices.length)
    const days = new Map<number, number>()
    for (const { at } of meant.flat()) days.set(at - (at % day), (days.get(at - (at % day)) ?? 0) + 1)
    expect(found.days).toEqual([...days].sort(([a], [b]) => a - b).map(([on, entries]) => ({ day: on, entries })))
    expect(found).toMatchObject({ since: expect.any(Number) as number, isMore: false })
  })
})

describe('whoever is limited to a client', () => {
  it('finds, counts and groups entries of that client alone', async () => {
    const { ask: limited } = await house.personWith('technician', [house.clients[1]])
    const own = events[2]!
    expect((await page('limit=500', limited)).entries.map(said).sort()).toEqual(own.map(said).sort())
    expect((await groups('', limited)).total).toBe(own.length)
    expect((await matches('', limited)).devices.map(({ deviceId }) => deviceId)).toEqual([agents[2]!.id])
    const other = `client=${house.clients[0]!}`
    expect(await page(other, limited)).toEqual({ entries: [], next: null })
    expect((await groups(other, limited)).total).toBe(0)
    expect((await matches(other, limited)).total).toBe(0)
    expect((await limited('GET', `/api/log?device=${agents[0]!.id}`)).status).toBe(404)
  })
})

describe('what is kept of entries', () => {
  it('has the fields that their log gives', async () => {
    const agent = agents[1]!
    const fields = { _SYSTEMD_UNIT: 'cron.service', _PID: '42' }
    await agent.send([agent.report(2, { events: [{ ...entry(now), text: 'with fields', fields }] })])
    expect((await page('text=with fields')).entries).toMatchObject([{ fields }])
  })
  it('is found under one name after two devices became one', async () => {
    const [kept, other] = [await house.enrol(house.sites[0], 'tm-kept'), await house.enrol(house.sites[0], 'tm-other')]
    await other.send([other.report(1, { events: [{ ...entry(now), text: 'told by the other' }] })])
    await house.lead('POST', `/api/devices/${kept.id}/merge`, { from: other.id })
    expect((await page('text=told by the other')).entries.map(({ deviceId }) => deviceId)).toEqual([kept.id])
  })
  it('goes with its client, also what it says; what others say as well stays', async () => {
    const client = (await house.lead<{ id: number }>('POST', '/api/clients', { name: 'Short Lived', code: 'sl' })).body
      .id
    const site = (
      await house.lead<{ id: number }>('POST', '/api/sites', {
        clientId: client,
        name: 'There',
        zone: 'Europe/Lisbon',
        networks: [],
      })
    ).body.id
    const agent = await house.enrol(site, 'sl-1')
    const shared = events[0]![0]!
    await agent.send([
      agent.report(1, {
        events: [
          { ...shared, at: now },
          { ...entry(now), text: 'their own secret words' },
        ],
      }),
    ])
    const shapes = async (text: string) =>
      (await firstRow<{ n: number }>(house.pool, 'select count(*)::int as n from log_shape where text = $1', [text]))!.n
    expect(await shapes('their own secret words')).toBe(1)
    const before = await groups(queryOf({ ...open, text: shared.text }))
    await house.lead('POST', `/api/clients/${client}/retire`, {})
    expect((await house.lead('POST', `/api/clients/${client}/delete`, { name: 'Short Lived' })).status).toBe(200)
    expect(await shapes('their own secret words')).toBe(0)
    expect((await groups(queryOf({ ...open, text: shared.text }))).total).toBe(before.total - 1)
  })
})

describe('which entries are kept', () => {
  /** A template of lines about one device. */
  async function templateFor(device: Agent, watches: Partial<WatchSpec>[]): Promise<number> {
    const { id } = (
      await house.lead<{ id: number }>('POST', '/api/templates', {
        name: `Of ${device.id}`,
        description: '',
        includes: [],
        watches: watches.map((watch) => ({ name: watch.key, why: '', osFamilies: [], values: {}, ...watch })),
      })
    ).body
    await house.lead('POST', '/api/assignments', {
      ...{ templateId: id, target: { on: 'devices', deviceIds: [device.id] }, rank: 100 },
      ...{ values: {}, dormant: false, reason: '' },
    })
    return id
  }
  const step = (id: number, basedOn: number, device: Agent, watches: unknown[]) => ({
    steps: [
      {
        of: 'template',
        id,
        basedOn,
        note: '',
        to: { name: `Of ${device.id}`, description: '', includes: [], watches },
      },
    ],
  })
  const cron = { key: 'cron', kind: 'log-match', name: 'cron', why: '', osFamilies: [], values: { source: 'cron' } }
  const keeping = (level: string) => ({
    ...{ key: 'kept', kind: 'log-kept', name: 'kept', why: '', osFamilies: [], values: { channel: 'syslog', level } },
  })

  it('is told before, by what was written within a day; then the agent hears of it, and nothing else is stored', async () => {
    const device = await house.enrol(house.sites[0], 'tm-quiet')
    const written = (n: number, level: LogEvent['level'], source: string): LogEvent[] =>
      Array.from({ length: n }, (_, i) => ({
        ...{ at: now - minute, channel: 'syslog', source, id: null, level, text: `entry ${i}` },
      }))
    const all = [
      ...written(30, 'informational', 'app'),
      ...written(10, 'informational', 'cron'),
      ...written(5, 'error', 'app'),
    ]
    await device.send([
      { ...device.report(1, { events: all, facts: { logs: [{ name: 'syslog', collected: true }] } }), at: now },
    ])
    const id = await templateFor(device, [cron])
    const change = step(id, 1, device, [cron, keeping('notice')])
    const { body: impact } = await house.lead<Impact>('POST', '/api/policy/impact', change)
    expect(impact.cost).toMatchObject({ entries: [45, 15], events: 0 })
    expect((await house.lead('POST', '/api/policy/changes', change)).status).toBe(200)
    const told = await device.send([{ ...device.report(2, { events: all }), at: now + 1000 }])
    expect(told.body.settings.collect.keep).toEqual({
      floors: [{ channel: 'syslog', level: 'notice' }],
      watched: [{ channel: '', source: 'cron', id: null, level: '', text: '' }],
    })
    // An agent that does not know of it sent all.
    expect((await groups(`device=${device.id}`)).total).toBe(45 + 15)
    // More than now: of what was left out nobody knows how much it is.
    const more = step(id, 2, device, [cron, keeping('debug')])
    expect((await house.lead<Impact>('POST', '/api/policy/impact', more)).body.cost.entries).toEqual([60, null])
    // Less: of what is there.
    const less = step(id, 2, device, [cron, keeping('none')])
    expect((await house.lead<Impact>('POST', '/api/policy/impact', less)).body.cost.entries).toEqual([60, 20])
    // Of what is looked for, and not of a name.
    const other = step(id, 2, device, [{ ...cron, name: 'another name' }, keeping('notice')])
    expect((await house.lead<Impact>('POST', '/api/policy/impact', other)).body.cost.entries).toBeNull()
  })
  it('has its measure by log and level, with what a watch looks for; of nobody else', async () => {
    const device = await house.enrol(house.sites[1], 'bb-volume')
    const written = (level: LogEvent['level'], source: string) => ({
      ...entry(now),
      channel: 'volume.log',
      level,
      source,
    })
    await device.send([
      {
        ...device.report(1, { events: [written('error', 'x'), written('debug', 'x'), written('debug', 'cron')] }),
        at: now,
      },
    ])
    const volume = async (query: string, ask = house.lead) =>
      (await ask<LogVolumes>('GET', `/api/log/volume?${query}`)).body.volumes.filter(
        ({ channel }) => channel === 'volume.log',
      )
    const told = [
      { channel: 'volume.log', level: 'debug', entries: 2, devices: 1, watched: 1 },
      { channel: 'volume.log', level: 'error', entries: 1, devices: 1, watched: 0 },
    ]
    expect(await volume('')).toEqual(told)
    expect(await volume(`device=${device.id}`)).toEqual(told)
    expect(await volume(`client=${house.clients[0]}`)).toEqual([])
    const { ask } = await house.personWith('technician', [house.clients[0]])
    expect(await volume('', ask)).toEqual([])
    expect((await ask('GET', `/api/log/volume?device=${device.id}`)).status).toBe(404)
  })
})
