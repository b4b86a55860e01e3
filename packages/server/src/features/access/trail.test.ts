import { parse } from 'csv-parse/sync'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { AuditLine } from '#contract'
import { day } from '#core'
import { rows, time } from '../../db'
import { openHouse, type House } from '../../testing/house'
import { changesIn } from './trail'

let house: House
let deviceId: number
beforeAll(async () => {
  house = await openHouse()
  deviceId = (await house.enrol(house.sites[0], 'tm-trail-1')).id
})
afterAll(() => house.close())

const trail = async (query = '', ask = house.lead) => (await ask<AuditLine[]>('GET', `/api/audit?${query}`)).body
const newest = async (query = '') => (await trail(`${query}&limit=1`))[0]!

describe('the audit trail', () => {
  it('says who did what to what, from what to what, when and from where', async () => {
    const began = Date.now()
    await house.lead('PUT', `/api/devices/${deviceId}`, { tags: ['lab'], name: 'tm-trail-one' })
    const line = await newest(`kind=device&object=${deviceId}`)
    expect(line).toMatchObject({
      by: 'Lead',
      action: 'changed',
      kind: 'device',
      objectId: deviceId,
      name: 'tm-trail-one',
      clientName: 'Tidemill Ferries',
      address: '127.0.0.1',
    })
    expect(Math.abs(line.at - began)).toBeLessThan(10_000)
    expect(line.changes).toEqual([
      { what: 'name', before: 'tm-trail-1', after: 'tm-trail-one' },
      { what: 'tags', before: null, after: '["lab"]' },
    ])
  })
  it('has who signed in, and what the server did by itself without an address', async () => {
    const { id, ask } = await house.personWith('technician', null)
    await ask('GET', '/api/session')
    expect(await newest(`kind=person&object=${id}&person=${id}`)).toMatchObject({ action: 'signed in' })
    const enrolled = (await trail(`kind=device&object=${deviceId}`)).at(-1)!
    expect(enrolled).toMatchObject({ by: null, action: 'enrolled', address: '127.0.0.1' })
  })
  it('is told in parts, each line once, narrowed by person, client, kind and time', async () => {
    const all = await trail('limit=500')
    expect(all.map(({ id }) => id)).toEqual(all.map(({ id }) => id).toSorted((a, b) => b - a))
    const parts: AuditLine[] = []
    for (let before = ''; ; before = `&before=${parts.at(-1)!.id}`) {
      const part = await trail(`limit=3${before}`)
      parts.push(...part)
      if (part.length < 3) break
    }
    expect(parts).toEqual(all)
    const person = (await rows<{ id: number }>(house.pool, `select id from person where name = 'Lead'`))[0]!.id
    expect(await trail(`person=${person}&limit=500`)).toEqual(all.filter(({ by }) => by === 'Lead'))
    expect(await trail(`kind=site&limit=500`)).toEqual(all.filter(({ kind }) => kind === 'site'))
    expect(await trail(`client=${house.clients[0]}&limit=500`)).toEqual(
      all.filter(({ clientName }) => clientName === 'Tidemill Ferries'),
    )
    const middle = all[Math.floor(all.length / 2)]!.at
    const later = await trail(`from=${middle + 1}&limit=500`)
    const earlier = await trail(`until=${middle + 1}&limit=500`)
    expect([...later, ...earlier]).toEqual(all)
    expect((await house.lead('GET', '/api/audit?object=1')).status).toBe(400)
  })
  it('goes out as CSV (RFC 4180), all of it, and no name is a formula in a spreadsheet', async () => {
    const name = '=HYPERLINK("http://x")'
    const made = await house.lead<{ id: number }>('POST', '/api/windows', {
      name,
      target: { on: 'devices', deviceIds: [deviceId] },
      subject: { of: 'all' },
      reason: 'two lines,\r\nand a comma',
      from: Date.now() + day,
      until: Date.now() + 2 * day,
    })
    expect(made.status).toBe(200)
    const answer = await house.lead<string>('GET', '/api/audit.csv')
    const text = typeof answer.body === 'string' ? answer.body : String(answer.body)
    const records = parse(text, { columns: true, record_delimiter: '\r\n' }) as unknown as Record<string, string>[]
    const all = await trail('limit=500')
    expect(records).toHaveLength(all.length)
    expect(records.map((record) => record.action)).toEqual(all.map(({ action }) => action))
    expect(records[0]).toMatchObject({ who: 'Lead', kind: 'window', name: `'${name}` })
    expect(records[0]!.changes).toContain('two lines,\r\nand a comma')
  })
  it('is a lead’s to read: of all clients, or of their own and of nothing else', async () => {
    const { ask } = await house.personWith('lead', [house.clients[1]])
    const seen = await trail('limit=500', ask)
    expect(JSON.stringify(seen)).not.toMatch(/tidemill|tm-/i)
    expect(seen.every(({ clientName, by }) => clientName === 'Brindle Bakeries' || by !== 'Lead')).toBe(true)
    expect((await house.technician('GET', '/api/audit?kind=device')).status).toBe(403)
    expect((await house.technician('GET', '/api/audit?kind=person&object=1')).status).toBe(403)
    const ofDevice = await trail(`kind=device&object=${deviceId}`, house.technician)
    expect(ofDevice.map(({ action, address }) => [action, address])).toEqual([
      ['changed', null],
      ['enrolled', null],
    ])
    const elsewhere = await house.personWith('technician', [house.clients[1]])
    expect(await trail(`kind=device&object=${deviceId}`, elsewhere.ask)).toEqual([])
    expect((await house.contact('GET', '/api/audit.csv')).status).toBe(403)
  })
  it('of a device that went to another client tells its name of today to nobody who may not see it', async () => {
    const { ask } = await house.personWith('lead', [house.clients[0]])
    const moved = await house.enrol(house.sites[0], 'tm-moved-1')
    await house.lead('PUT', `/api/devices/${moved.id}`, { siteId: house.sites[1], name: 'bb-secret-1' })
    const theirs = await trail(`kind=device&object=${moved.id}`, ask)
    expect(theirs.length).toBeGreaterThan(0)
    expect(JSON.stringify(theirs)).not.toContain('bb-secret')
    expect(JSON.stringify(await trail(`kind=device&object=${moved.id}`))).toContain('bb-secret')
  })
  it('is not changed by anything: only its oldest years go', async () => {
    const refused = async (statement: string, values: unknown[] = []) =>
      house.pool.query(statement, values).then(
        () => 'done',
        (error: Error) => error.message,
      )
    expect(await refused(`update audit set action = 'did nothing to'`)).toBe('the audit trail is not changed')
    expect(await refused('delete from audit')).toBe('the audit trail is not changed')
    expect(await refused('truncate audit')).toBe('the audit trail is not changed')
    await house.pool.query(
      `insert into audit (at, action, object_kind) values ($1, 'changed', 'device'), (now(), 'changed', 'device')`,
      [time(Date.now() - 2000 * day)],
    )
    expect(await refused('delete from audit where at < $1', [time(Date.now() - 1100 * day)])).toBe('done')
  })
})

it('what was said again as it stood is no change; long texts are cut', () => {
  expect(changesIn({ name: 'a', tags: ['x'], was: { name: 'a', tags: [] } })).toEqual([
    { what: 'tags', before: '[]', after: '["x"]' },
  ])
  expect(changesIn({ siteId: null, was: { siteId: 4 } })).toEqual([{ what: 'siteId', before: '4', after: null }])
  expect(changesIn({ text: 'x'.repeat(1000) })[0]!.after).toHaveLength(300)
  expect([changesIn(null), changesIn('text'), changesIn({}), changesIn({ was: null })]).toEqual([[], [], [], []])
})
