import ical, { type VEvent } from 'node-ical'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { CalendarEntry, CalendarImported, FeedView, Made, MadeFeed, NewWindow, WindowPage } from '#contract'
import { hour } from '#core'
import { instantOf, localOf, nextStarts, startsBetween } from '#core/schedule'
import { openHouse, type House } from '../../../testing/house'
import { calendarText } from './write'
import { readCalendar } from './read'

let house: House
const zone = 'Europe/Lisbon'
beforeAll(async () => {
  house = await openHouse()
})
afterAll(() => house.close())

const draft = (more: Partial<NewWindow> = {}): NewWindow => ({
  name: 'Patch night, ticketing; both halves',
  reason: 'Updates, and a restart\nof each',
  target: { on: 'client', clientId: house.clients[0] },
  subject: { of: 'families', families: ['service', 'disk'] },
  from: '2030-01-01T02:30:00',
  length: 4 * hour,
  zone,
  rule: 'FREQ=WEEKLY;BYDAY=TU',
  ...more,
})
const make = async (more: Partial<NewWindow> = {}) =>
  (await house.technician<Made>('POST', '/api/windows', draft(more))).body.id
const page = async (id: number) => (await house.technician<WindowPage>('GET', `/api/windows/${id}`)).body
const text = async (client?: number) =>
  (
    await house.app.inject({
      method: 'GET',
      url: `/api/calendar.ics${client ? `?client=${client}` : ''}`,
      headers: { cookie: (await signedIn()).cookie },
    })
  ).body
let person: Awaited<ReturnType<House['personWith']>> | null = null
const signedIn = async () => (person ??= await house.personWith('technician', null))
const asBody = (calendar: string, more: object = {}) => ({
  text: calendar,
  target: { on: 'client' as const, clientId: house.clients[0] },
  subject: { of: 'all' as const },
  zone,
  ...more,
})
const preview = async (calendar: string) =>
  (await house.technician<CalendarEntry[]>('POST', '/api/calendar/preview', asBody(calendar))).body
const take = async (calendar: string, uids: string[]) =>
  (await house.technician<CalendarImported[]>('POST', '/api/calendar', asBody(calendar, { uids }))).body
const event = (lines: string[], uid = 'visit-1@vendor.example') =>
  [
    'BEGIN:VCALENDAR',
    'VERSION:2.0',
    'PRODID:-//Vendor//EN',
    'BEGIN:VEVENT',
    `UID:${uid}`,
    'DTSTAMP:20260101T000000Z',
    ...lines,
    'END:VEVENT',
    'END:VCALENDAR',
    '',
  ].join('\r\n')

describe('a calendar that goes out', () => {
  it('is read by another library (node-ical) as the same times, zones, exceptions and changes', async () => {
    const id = await make()
    const { revision, coming } = await page(id)
    const [first, second, third] = coming
    await house.technician('POST', `/api/windows/${id}/change`, {
      revision,
      scope: 'one',
      start: third!.start,
      why: '',
      window: draft({ from: '2030-01-16T05:00:00', length: 2 * hour }),
    })
    await house.technician('POST', `/api/windows/${id}/occurrence`, { do: 'skip', start: second!.start, why: '' })
    const parsed = ical.sync.parseICS(await text())
    const read = parsed[`window-${id}@custode`] as VEvent & { start: { tz?: string } }
    expect([read.summary, read.description, read.start.tz]).toEqual([
      'Patch night, ticketing; both halves',
      'Updates, and a restart\nof each',
      zone,
    ])
    expect(read.start.getTime()).toBe(first!.start)
    expect(read.end.getTime() - read.start.getTime()).toBe(4 * hour)
    expect(Object.values(read.exdate as Record<string, Date>).map(Number)).toContain(second!.start)
    const moved = Object.values(read.recurrences as unknown as Record<string, VEvent>)[0]!
    expect([Number(moved.start), Number(moved.end) - Number(moved.start)]).toEqual([
      instantOf('2030-01-16T05:00:00', zone),
      2 * hour,
    ])
    // A year of its rule, by the days: its library counts on the clocks of the machine.
    const until = first!.start + 365 * 24 * hour
    const theirs = read.rrule!.between(new Date(first!.start - 1), new Date(until), true)
    const ours = startsBetween(
      { starts: '2030-01-01T02:30:00', zone, rule: 'FREQ=WEEKLY;BYDAY=TU', more: [], except: [] },
      first!.start,
      until,
      99,
    )
    expect(theirs.map((at) => at.toISOString().slice(0, 10))).toEqual(ours.map((at) => localOf(at, zone).slice(0, 10)))
  })
  it('comes in again as it went out: nothing is new, and nothing changed', async () => {
    await make({ rule: 'FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1;UNTIL=20331231', name: 'Last weekday' })
    await make({ rule: null, length: null, from: '2031-05-01T00:00:00', zone: 'Australia/Lord_Howe', name: 'No end' })
    const entries = await preview(await text())
    expect(entries.length).toBeGreaterThanOrEqual(3)
    expect(entries.map(({ kind, fault }) => [kind, fault])).toEqual(entries.map(() => ['same', null]))
  })
  it('says UNTIL in UTC, names each zone with its rules, and folds what is long (RFC 5545, 3.1, 3.3.10, 3.6.5)', async () => {
    const calendar = await text()
    expect(calendar).toContain('UNTIL=20331231T235959Z')
    for (const name of [zone, 'Australia/Lord_Howe']) expect(calendar).toContain(`BEGIN:VTIMEZONE\r\nTZID:${name}`)
    for (const line of calendar.split('\r\n')) expect(Buffer.byteLength(line)).toBeLessThanOrEqual(75)
  })
  it('is of one client where that was asked for', async () => {
    expect(await text(house.clients[1])).not.toContain('Patch night')
  })
})

describe('a calendar that comes in', () => {
  it('makes windows of new entries, changes those that are there, and ends what was cancelled', async () => {
    const lines = [
      'SUMMARY:Lift maintenance',
      `DTSTART;TZID=${zone}:20300105T080000`,
      'DURATION:PT3H',
      'RRULE:FREQ=MONTHLY;BYDAY=1SA',
    ]
    const first = event(lines)
    expect(await preview(first)).toMatchObject([
      { kind: 'new', name: 'Lift maintenance', rule: 'FREQ=MONTHLY;BYDAY=1SA' },
    ])
    const [made] = await take(first, ['visit-1@vendor.example'])
    expect(await page(made!.id!)).toMatchObject({ starts: '2030-01-05T08:00:00', length: 3 * hour, zone })
    expect(await preview(first)).toMatchObject([{ kind: 'same', windowId: made!.id }])

    const second = event([...lines.slice(0, 2), 'DURATION:PT4H', lines[3]!, `EXDATE;TZID=${zone}:20300202T080000`])
    expect(await preview(second)).toMatchObject([{ kind: 'changed', skipped: 1 }])
    await take(second, ['visit-1@vendor.example'])
    const changed = await page(made!.id!)
    expect([
      changed.length,
      changed.revision,
      changed.coming.map(({ from }) => localOf(from, zone).slice(0, 10)),
    ]).toEqual([4 * hour, 2, ['2030-01-05', '2030-03-02']])

    const third = event([...lines, 'STATUS:CANCELLED'])
    expect(await preview(third)).toMatchObject([{ kind: 'cancelled' }])
    await take(third, ['visit-1@vendor.example'])
    expect((await page(made!.id!)).coming).toEqual([])
    expect(await preview(third)).toMatchObject([{ kind: 'same' }])
  })
  it('takes each entry by itself: what cannot be read is named, and keeps nothing else out', async () => {
    const good = event(['SUMMARY:Good', 'DTSTART:20300101T100000Z', 'DTEND:20300101T120000Z'], 'good')
    const inside = (name: string, lines: string[]) =>
      ['BEGIN:VEVENT', `UID:${name}`, `SUMMARY:${name}`, ...lines, 'END:VEVENT'].join('\r\n')
    const all = good.replace(
      'END:VCALENDAR',
      [
        inside('endless', ['DTSTART:20300101T100000Z']),
        inside('nowhere', ['DTSTART;TZID=Middle Earth:20300101T100000', 'DURATION:PT1H']),
        inside('two-rules', ['DTSTART:20300101T100000Z', 'DURATION:PT1H', 'RRULE:FREQ=DAILY', 'RRULE:FREQ=WEEKLY']),
        inside('never', ['SUMMARY:no start']),
        inside('day', ['DTSTART;VALUE=DATE:20300328']),
        'END:VCALENDAR',
      ].join('\r\n'),
    )
    expect((await preview(all)).map(({ uid, kind, fault }) => [uid, kind, fault])).toEqual([
      ['good', 'new', null],
      ['day', 'new', null],
      ['endless', 'refused', 'no-end'],
      ['nowhere', 'refused', 'no-zone'],
      ['two-rules', 'refused', 'several-rules'],
      ['never', 'refused', 'no-start'],
    ])
    const done = await take(all, ['good', 'day'])
    const day = await page(done.find(({ uid }) => uid === 'day')!.id!)
    expect([day.starts, day.length]).toEqual(['2030-03-28T00:00:00', 24 * hour])
  })
  it.each(['', 'nothing', 'BEGIN:VCARD\r\nVERSION:4.0\r\nFN:X\r\nEND:VCARD', 'BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\n'])(
    '%j is refused with what to do',
    async (wrong) => {
      const { status, body } = await house.technician('POST', '/api/calendar/preview', asBody(wrong))
      expect([status, body.code]).toEqual([400, 'invalid'])
    },
  )
  it('reads a zone by the name that its VTIMEZONE gives, and a time without one on the clocks of the site', () => {
    const named = [
      'BEGIN:VCALENDAR',
      'BEGIN:VTIMEZONE',
      'TZID:Home',
      'X-LIC-LOCATION:Europe/Vienna',
      'END:VTIMEZONE',
      'BEGIN:VEVENT',
      'UID:a',
      'DTSTART;TZID=Home:20300101T100000',
      'DURATION:PT1H',
      'END:VEVENT',
      'BEGIN:VEVENT',
      'UID:b',
      'DTSTART:20300101T100000',
      'DURATION:PT1H',
      'END:VEVENT',
      'END:VCALENDAR',
    ].join('\r\n')
    expect(readCalendar(named, zone).events.map(({ zone }) => zone)).toEqual(['Europe/Vienna', zone])
  })
  it('reaches nothing beyond the clients of whoever takes it in', async () => {
    const id = await make({ name: 'Of Tidemill' })
    const other = await house.personWith('technician', [house.clients[1]])
    const uid = `window-${id}@custode`
    const cancelled = event(['SUMMARY:x', 'DTSTART:20300101T000000Z', 'DURATION:PT1H', 'STATUS:CANCELLED'], uid)
    const body = { ...asBody(cancelled), target: { on: 'client', clientId: house.clients[1] } }
    expect((await other.ask<CalendarEntry[]>('POST', '/api/calendar/preview', body)).body).toMatchObject([
      { kind: 'past', windowId: null },
    ])
    await other.ask('POST', '/api/calendar', { ...body, uids: [uid] })
    expect((await page(id)).coming.length).toBeGreaterThan(0)
    // What a file says of its own reach is held against the clients as what a person says is.
    const own = event(
      [
        'SUMMARY:Taken',
        'DTSTART:20300101T000000Z',
        'DURATION:PT1H',
        `X-CUSTODE-TARGET:${JSON.stringify({ on: 'client', clientId: house.clients[0] }).replace(/,/g, '\\,')}`,
      ],
      'foreign',
    )
    const [taken] = (
      await other.ask<CalendarImported[]>('POST', '/api/calendar', { ...body, text: own, uids: ['foreign'] })
    ).body
    expect([taken?.id, taken?.problem]).toEqual([null, expect.stringContaining('your own clients')])
  })
})

describe('a feed', () => {
  const read = (path: string) => house.app.inject({ method: 'GET', url: path })
  it('is read by whoever has its address, until it is revoked or its person leaves', async () => {
    const id = await make({ name: 'In the feed' })
    const { ask } = await house.personWith('technician', [house.clients[0]])
    const { body: feed } = await ask<MadeFeed>('POST', '/api/calendar-feeds', { clientId: null, label: 'my phone' })
    const { statusCode, headers, body } = await read(feed.path)
    expect([statusCode, headers['content-type']]).toEqual([200, 'text/calendar; charset=utf-8'])
    const events = ical.sync.parseICS(body)
    expect((events[`window-${id}@custode`] as VEvent).summary).toBe('In the feed')
    // Nothing of what only Custode reads goes to a calendar that is somebody else's.
    expect(body).not.toMatch(/X-CUSTODE/i)
    expect((await ask<FeedView[]>('GET', '/api/calendar-feeds')).body).toMatchObject([{ label: 'my phone' }])
    expect((await house.technician('DELETE', `/api/calendar-feeds/${feed.id}`)).body.code).toBe('no-such-feed')
    await ask('DELETE', `/api/calendar-feeds/${feed.id}`)
    expect([(await read(feed.path)).statusCode, (await read('/calendar/nonsense.ics')).statusCode]).toEqual([404, 404])
  })
  it('of a client has the windows for several clients that reach a device of it, and no word of the others', async () => {
    await house.enrol(house.sites[1], 'bb-feed-1')
    const all = { ...draft(), name: 'Power cut in the county', target: { on: 'everyone' } }
    const both = { on: 'any', of: house.clients.map((clientId) => ({ on: 'client', clientId })) }
    await house.lead('POST', '/api/windows', all)
    await house.lead('POST', '/api/windows', { ...draft(), name: 'Both of them', target: both })
    const nobody = { on: 'name', pattern: 'no-such-*' }
    await house.lead('POST', '/api/windows', { ...draft(), name: 'Reaches nobody', target: nobody })
    const { ask } = await house.personWith('technician', [house.clients[1]])
    for (const clientId of [null, house.clients[1]]) {
      const { body: feed } = await ask<MadeFeed>('POST', '/api/calendar-feeds', { clientId, label: 'mine' })
      const { body } = await read(feed.path)
      expect(['county', 'Both of them', 'Reaches nobody', 'Tidemill'].map((word) => body.includes(word))).toEqual([
        true,
        true,
        false,
        false,
      ])
    }
  })
  it('shows no more than its person may see, also when that becomes less', async () => {
    await make({ name: 'Of the first client' })
    const someone = await house.personWith('technician', null)
    const { body: feed } = await someone.ask<MadeFeed>('POST', '/api/calendar-feeds', { clientId: null, label: 'all' })
    expect((await read(feed.path)).body).toContain('Of the first client')
    await house.pool.query('update person set client_ids = $2 where id = $1', [someone.id, [house.clients[1]]])
    expect((await read(feed.path)).body).not.toContain('Of the first client')
    await house.pool.query('update person set deactivated_at = now() where id = $1', [someone.id])
    expect((await read(feed.path)).statusCode).toBe(404)
    const { ask } = await house.personWith('technician', [house.clients[1]])
    const other = await ask('POST', '/api/calendar-feeds', { clientId: house.clients[0], label: 'theirs' })
    expect(other.body.code).toBe('no-such-client')
  })
})

it('any schedule is the same after it was written and read', () => {
  const base = {
    id: 7,
    revision: 3,
    name: 'W',
    reason: '',
    ticket: 'LF-1',
    owner_id: null,
    client_id: null,
    target: { on: 'everyone' as const },
    subject: { of: 'all' as const },
    review_at: null,
    ended_at: null,
    created_at: 0,
    saved_at: 0,
    uid: null,
    targetText: 'every device',
    cancelled: false,
  }
  for (const zone of ['Europe/Berlin', 'Australia/Lord_Howe', 'America/New_York', 'UTC'])
    for (const rule of ['FREQ=DAILY', 'FREQ=MONTHLY;BYDAY=2TU', 'FREQ=WEEKLY;COUNT=9;BYDAY=MO,WE', null]) {
      const starts = '2027-03-02T02:30:00'
      const [, , third, fourth] = nextStarts({ starts, zone, rule: rule ?? 'FREQ=DAILY', more: [], except: [] }, 0, 4)
      const row = {
        ...base,
        zone,
        starts,
        rule,
        length_ms: 5_400_000,
        more: rule ? [third! + hour] : [],
        left_out: rule ? [third!] : [],
        changed: rule ? [{ start: fourth!, from: fourth! + hour, until: fourth! + 2 * hour }] : [],
      }
      const { events, refused } = readCalendar(calendarText([row], 'Maintenance', true), 'UTC')
      expect(refused).toEqual([])
      expect(events).toEqual([
        {
          uid: 'window-7@custode',
          name: 'W',
          reason: '',
          ticket: 'LF-1',
          starts,
          zone,
          length: 5_400_000,
          rule,
          except: row.left_out,
          more: row.more,
          changed: row.changed,
          cancelled: false,
          target: base.target,
          subject: base.subject,
        },
      ])
    }
})
