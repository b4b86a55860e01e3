import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { boardOrders, type BoardDevice, type BoardOrder, type BoardPage } from '#contract'
import { mostUrgent, urgency } from '#core'
import { openHouse, type House } from '../../testing/house'

let house: House
let clients: [number, number]
beforeAll(async () => {
  house = await openHouse()
  clients = house.clients
  // Sixty devices with every state that a board tells apart, as reports and the engine leave them.
  await house.pool.query(
    `insert into device (client_id, site_id, name, kind, os_family, os_name, roles, tags, key_digest, last_seq, last_at,
       heard_at, disks_at, fullest, security_updates, other_updates, updates_known, oldest_security_at, takes_tasks)
     select ($1::int[])[1 + i % 2], ($2::int[])[1 + i % 2], 'Host-' || chr(65 + (i * 7) % 26) || i,
       case when i % 3 = 0 then 'server' else 'workstation' end, 'linux', 'Debian ' || (11 + i % 3),
       case i % 4 when 0 then '{web,database}'::text[] when 1 then '{web}' else '{}' end,
       case when i % 10 = 0 then '{lab_%}'::text[] else '{}' end, '\\x00', 1, now(),
       case when i % 11 = 0 then null when i % 7 = 0 then now() - interval '1 hour' else now() end, now(), (i % 5) / 5.0,
       case when i % 6 = 0 then null else i % 4 end, 0, true,
       case when i % 6 > 2 then now() - i * interval '1 day' end, i % 2 = 0
     from generate_series(1, 60) i`,
    [house.clients, house.sites],
  )
  const rule = `'{"name":"R","kind":"service-state","sentence":[],"sources":[]}'`
  await house.pool.query(
    `insert into alert (device_id, client_id, watch, instance, severity, status, began, raised_at, rule)
     select id, client_id, 'w', 'svc' || n, (array['notice', 'warning', 'critical'])[1 + (id + n) % 3], 'open', now(),
       now(), ${rule}
     from device, generate_series(1, 2) n where id % 4 = 0 and (n = 1 or id % 8 = 0)`,
  )
  await house.pool.query(
    `insert into held (window_id, device_id, client_id, watch, instance, severity, began, held_at, rule)
     select 1, id, client_id, 'h', 'svc9', 'warning', now(), now(), ${rule} from device where id % 5 = 0`,
  )
  await house.pool.query(
    `insert into log_hour select id, floor(extract(epoch from now()) / 3600)::int, id % 9, 0 from device`,
  )
})
afterAll(() => house.close())

const page = async (query: string, ask: House['lead'] = house.lead) =>
  (await ask<BoardPage>('GET', `/api/devices?${query}`)).body

async function whole(query: string, limit: number): Promise<BoardDevice[]> {
  const found: BoardDevice[] = []
  let after: string | null = ''
  for (let n = 0; after !== null && n < 100; n++) {
    const part: BoardPage = await page(`${query}&limit=${limit}${after ? `&after=${after}` : ''}`)
    expect(part.counts === null).toBe(n > 0)
    found.push(...part.devices)
    after = part.next
  }
  return found
}

const sum = (numbers: number[]) => numbers.reduce((a, b) => a + b, 0)
/** What the answers themselves say of a device, smallest first. */
const keyOf: Partial<Record<BoardOrder, (device: BoardDevice) => number | string>> = {
  needs: ({ worst, silent, held }) => -(100 * (worst ? urgency(worst) : 0) + (silent ? 50 : 0) + (held > 0 ? 10 : 0)),
  name: () => '',
  client: ({ clientName, siteName }) => `${clientName} ${siteName}`.toLowerCase(),
  role: ({ roles }) => roles.join(),
  system: ({ osName }) => osName,
  services: ({ services }) => -services.length,
  updates: ({ updates }) => -(updates?.security ?? -1),
  oldest: ({ updates }) => updates?.oldestSecurityAt ?? Infinity,
  log: ({ events }) => -sum(events),
  heard: ({ heardAt }) => heardAt ?? 0,
}

describe('a board in parts', () => {
  it('holds each device once, in the order that its rows themselves give, whatever the size of the parts', async () => {
    const all = (await page('limit=500')).devices
    expect(all).toHaveLength(60)
    for (const order of boardOrders) {
      const [few, many] = [await whole(`order=${order}`, 7), await whole(`order=${order}`, 500)]
      expect([order, few.map(({ name }) => name)]).toEqual([order, many.map(({ name }) => name)])
      expect(new Set(few.map(({ id }) => id)).size).toBe(60)
      const key = keyOf[order]
      if (key) {
        const wanted = all.toSorted((a, b) => {
          const [x, y] = [key(a), key(b)]
          return (x < y ? -1 : x > y ? 1 : 0) || (a.name.toLowerCase() < b.name.toLowerCase() ? -1 : 1)
        })
        expect([order, few.map(({ name }) => name)]).toEqual([order, wanted.map(({ name }) => name)])
      }
      const back = await whole(`order=${order}&reversed=true`, 11)
      expect([order, back.map(({ name }) => name)]).toEqual([order, few.map(({ name }) => name).toReversed()])
    }
    const { rows } = await house.pool.query<{ name: string }>(
      'select name from device order by fullest desc, lower(name)',
    )
    expect((await whole('order=disks', 9)).map(({ name }) => name)).toEqual(rows.map(({ name }) => name))
  })

  it('is narrowed by each choice, and counts what every other choice would leave', async () => {
    const all = (await page('limit=500')).devices
    const tests = {
      kind: (device: BoardDevice) => device.kind === 'server',
      role: (device: BoardDevice) => device.roles.includes('web'),
      state: (device: BoardDevice) => device.worst !== null || device.silent,
    }
    const query = 'kind=server&role=web&state=needs&limit=500'
    const { devices, counts } = await page(query)
    const names = (list: BoardDevice[]) => list.map(({ name }) => name).sort()
    expect(devices.length).toBeGreaterThan(0)
    expect(names(devices)).toEqual(
      names(all.filter((each) => tests.kind(each) && tests.role(each) && tests.state(each))),
    )
    expect(counts!.total).toBe(devices.length)
    expect(counts!.clients).toBe(new Set(devices.map(({ clientId }) => clientId)).size)
    const count = (facet: 'kinds' | 'roles' | 'states', value: string) =>
      counts![facet].find((each) => each.value === value)?.count ?? 0
    const left = (test: (device: BoardDevice) => boolean, ...others: ((device: BoardDevice) => boolean)[]) =>
      all.filter((each) => test(each) && others.every((other) => other(each))).length
    expect(count('kinds', 'workstation')).toBe(left((each) => each.kind === 'workstation', tests.role, tests.state))
    expect(count('roles', 'database')).toBe(left((each) => each.roles.includes('database'), tests.kind, tests.state))
    expect(count('states', 'silent')).toBe(left((each) => each.silent, tests.kind, tests.role))
    expect(count('states', 'held')).toBe(left((each) => each.held > 0, tests.kind, tests.role))
  })

  it('is narrowed by words, in which no sign is a wildcard', async () => {
    expect((await page('words=HOST-&limit=500')).counts!.total).toBe(60)
    expect((await page('words=_&limit=500')).counts!.total).toBe(6)
    expect((await page('words=%25')).counts!.total).toBe(6)
    expect((await page('words=debian%2012')).counts!.total).toBe(20)
    expect((await page('words=no%20such')).devices).toEqual([])
  })

  it('has only the devices of whoever asks, in rows and in counts', async () => {
    const theirs = await page('limit=500', house.contact)
    expect(theirs.devices.every((device) => device.clientId === clients[1])).toBe(true)
    expect(theirs.counts).toMatchObject({ total: 30, clients: 1 })
    const foreign = (await page(`client=${clients[0]}`)).devices
    expect(foreign.length).toBeGreaterThan(0)
    expect((await page(`client=${clients[0]}`, house.contact)).counts).toMatchObject({ total: 0, clients: 0 })
    const ids = foreign.map(({ id }) => id).join()
    expect((await house.contact<BoardDevice[]>('GET', `/api/device-rows?ids=${ids}`)).body).toEqual([])
    expect((await house.lead<BoardDevice[]>('GET', `/api/device-rows?ids=${ids}`)).body).toHaveLength(foreign.length)
  })

  it('says what is wrong with a place in the list that is none', async () => {
    for (const after of [
      'x',
      Buffer.from('[1,2]').toString('base64url'),
      Buffer.from('["a","","",1e99]').toString('base64url'),
    ]) {
      const { status, body } = await house.lead('GET', `/api/devices?after=${after}`)
      expect([status, body.code]).toEqual([400, 'invalid'])
    }
  })

  it('reads the worst of several alerts, as the row tells it', async () => {
    for (const device of (await page('limit=500')).devices) {
      const { rows } = await house.pool.query<{ severity: 'notice' | 'warning' | 'critical' }>(
        `select severity from alert where device_id = $1 and status <> 'closed'`,
        [device.id],
      )
      expect(device.worst).toBe(mostUrgent(rows.map(({ severity }) => severity)))
    }
  })
})
