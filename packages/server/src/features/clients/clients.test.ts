import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { AuditLine, Client, ClientChange, ClientDetail, SiteChange } from '#contract'
import { openHouse, type House } from '../../testing/house'

let house: House
let one: number, site: number
beforeAll(async () => {
  house = await openHouse()
  ;[one] = house.clients
  ;[site] = house.sites
})
afterAll(() => house.close())

const clientOf = async (id: number) =>
  (await house.lead<Client[]>('GET', '/api/clients')).body.find((client) => client.id === id)!
const detail = async (ask = house.lead) => (await ask<ClientDetail>('GET', `/api/clients/${one}`)).body
const change = (body: ClientChange) => house.lead('PUT', `/api/clients/${one}`, body)
const changeSite = (body: SiteChange) => house.lead('PUT', `/api/sites/${site}`, body)
const last = async (kind: string) => (await house.lead<AuditLine[]>('GET', `/api/audit?kind=${kind}&limit=1`)).body[0]!

describe('a client', () => {
  it('is called otherwise, and noted about; what is not named stays', async () => {
    expect((await change({ notes: 'Ring twice.' })).status).toBe(200)
    expect((await change({ name: 'Tidemill Lines' })).status).toBe(200)
    expect(await clientOf(one)).toMatchObject({ name: 'Tidemill Lines', code: 'tm' })
    expect((await detail()).notes).toBe('Ring twice.')
    expect(await last('client')).toMatchObject({
      action: 'changed',
      changes: [{ what: 'name', before: 'Tidemill Ferries', after: 'Tidemill Lines' }],
    })
  })
  it('has no name or code that another one has, in whatever case', async () => {
    for (const body of [{ name: 'brindle BAKERIES' }, { code: 'bb' }]) expect((await change(body)).status).toBe(409)
    expect((await house.lead('POST', '/api/clients', { name: 'BRINDLE bakeries', code: 'xx' })).status).toBe(409)
    expect((await change({ code: 'Tm' })).status).toBe(400)
    expect((await change({})).status).toBe(400)
    // Its own in another case is no other one's.
    expect((await change({ name: 'TIDEMILL Lines' })).status).toBe(200)
  })
  it('is changed by a lead who sees it, and its notes are read by who works there, and by nobody else', async () => {
    const elsewhere = await house.personWith('lead', [house.clients[1]])
    expect((await elsewhere.ask('PUT', `/api/clients/${one}`, { name: 'Mine' })).status).toBe(404)
    expect((await elsewhere.ask('PUT', `/api/sites/${site}`, { name: 'Mine' })).status).toBe(404)
    expect((await elsewhere.ask('GET', `/api/clients/${one}`)).status).toBe(404)
    expect((await house.technician('PUT', `/api/clients/${one}`, { name: 'Mine' })).status).toBe(403)
    expect((await house.contact('GET', `/api/clients/${one}`)).status).toBe(403)
    expect((await detail(house.technician)).notes).toBe('Ring twice.')
  })
})

describe('a site', () => {
  it('is called otherwise, is in another zone, has other networks and notes', async () => {
    const body = { name: 'Old Harbour', zone: 'Europe/Dublin', networks: ['192.0.2.0/26'], notes: 'Key at the gate.' }
    expect((await changeSite(body)).status).toBe(200)
    const { notes, ...told } = body
    expect((await clientOf(one)).sites.find(({ id }) => id === site)).toMatchObject(told)
    expect((await detail()).sites.find(({ id }) => id === site)).toEqual({ id: site, notes })
    expect((await last('site')).changes.map(({ what }) => what).toSorted()).toEqual(Object.keys(body).toSorted())
  })
  it('is refused what is no zone or network, and a name that its client has already', async () => {
    const fault = async (body: SiteChange) => {
      const { status, body: answer } = await changeSite(body)
      return [status, answer.faults?.[0]?.at ?? null]
    }
    expect(await fault({ zone: 'Europe/Atlantis' })).toEqual([400, 'zone'])
    expect(await fault({ networks: ['192.0.2.7/24'] })).toEqual([400, 'networks'])
    const another = { clientId: one, name: 'Quay', zone: 'Europe/Lisbon', networks: [] }
    expect((await house.lead('POST', '/api/sites', another)).status).toBe(200)
    expect((await house.lead('POST', '/api/sites', { ...another, name: 'quay' })).status).toBe(409)
    expect((await fault({ name: 'QUAY' }))[0]).toBe(409)
    expect((await clientOf(one)).sites.find(({ id }) => id === site)!.zone).toBe('Europe/Dublin')
  })
})
