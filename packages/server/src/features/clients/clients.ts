import {
  clientChangeSchema,
  clientDetailSchema,
  clientsSchema,
  madeSchema,
  newClientSchema,
  newSiteSchema,
  siteChangeSchema,
  siteNetworksSchema,
  type Client,
  type ClientChange,
  type ClientDetail,
  type Site,
  type SiteChange,
} from '#contract'
import { groupsBy, namedFault, readNetwork, type ClientId } from '#core'
import type { FastifyInstance } from 'fastify'
import { IANAZone } from 'luxon'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { announce } from '../../live'
import { audit, mayChangeAll, requireClient, ofClients } from '../access'
import { contactsOf } from './contacts'

function refuseBadNames(named: readonly string[]): void {
  const fault = named.map(namedFault).find((text) => text !== null)
  if (fault) throw new ProblemError('invalid', fault, [{ at: 'named', message: 'no address, network or name' }])
}

/** Who looks at what, and where, is worked out anew. */
const lookAnew = (tx: Db, siteId: number) =>
  tx.query('delete from probe_follow where device_id in (select id from device where site_id = $1)', [siteId])

function refuseBadNetworks(networks: readonly string[]): void {
  const wrong = networks.find((network) => !readNetwork(network))
  if (wrong !== undefined)
    throw new ProblemError(
      'invalid',
      `“${wrong}” is no network. Write it like 192.0.2.0/24, with the bits of the host at zero.`,
      [{ at: 'networks', message: 'not in CIDR notation' }],
    )
}

/** @throws ProblemError */
function refuseBadZone(zone: string): void {
  if (!IANAZone.isValidZone(zone))
    throw new ProblemError(
      'invalid',
      `“${zone}” is no time zone. Use a name of the IANA database, such as Europe/Lisbon.`,
      [{ at: 'zone', message: 'unknown time zone' }],
    )
}

/** Clients and their sites: what they are called, where they are, what their networks are. */
export function placeRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/clients',
    access: 'contact',
    summary: 'Clients with their sites',
    answer: clientsSchema,
    async handle({ viewer }): Promise<Client[]> {
      const [clients, sites, counts] = await Promise.all([
        rows<Omit<Client, 'sites' | 'deviceCount'>>(
          pool,
          `select id, name, code from client where retired_at is null and ${ofClients('id', 1)} order by name`,
          [viewer.clientIds],
        ),
        rows<Omit<Site, 'helpers'>>(
          pool,
          `select id, client_id as "clientId", name, zone, networks, named_addresses as named from site where ${ofClients('client_id', 1)}
           order by name`,
          [viewer.clientIds],
        ),
        rows<{ siteId: number; devices: number; helpers: number }>(
          pool,
          `select site_id as "siteId", count(*)::int as devices, (count(*) filter (where takes_tasks))::int as helpers
           from device where retired_at is null and ${ofClients('client_id', 1)} group by 1`,
          [viewer.clientIds],
        ),
      ])
      const countOf = new Map(counts.map((count) => [count.siteId, count]))
      const sitesOf = groupsBy(sites, (site) => site.clientId)
      return clients.map((client) => {
        const own = sitesOf.get(client.id) ?? []
        return {
          ...client,
          deviceCount: own.reduce((sum, site) => sum + (countOf.get(site.id)?.devices ?? 0), 0),
          sites: own.map((site) => ({ ...site, helpers: countOf.get(site.id)?.helpers ?? 0 })),
        }
      })
    },
  })

  route(app, {
    method: 'POST',
    url: '/api/clients',
    access: 'lead',
    summary: 'Add a client',
    answer: madeSchema,
    body: newClientSchema,
    handle: ({ body, viewer }) =>
      inTransaction(pool, async (tx) => {
        if (!mayChangeAll(viewer)) throw new ProblemError('not-allowed', 'Clients are added by a lead of all of them.')
        const row = await firstRow<{ id: number }>(
          tx,
          `insert into client (name, code) select $1, $2
           where not exists (select from client where lower(name) = lower($1)) on conflict do nothing returning id`,
          [body.name, body.code],
        )
        if (!row) throw new ProblemError('already-exists', 'A client with this name or code is there already.')
        await audit(tx, {
          personId: viewer.id,
          action: 'added',
          kind: 'client',
          id: row.id,
          clientId: row.id,
          detail: body,
        })
        announce(tx, { topic: 'estate', clientIds: null, deviceIds: [] })
        return row
      }),
  })

  route(app, {
    method: 'POST',
    url: '/api/sites',
    access: 'lead',
    summary: 'Add a site',
    answer: madeSchema,
    body: newSiteSchema,
    handle: ({ body, viewer }) =>
      inTransaction(pool, async (tx) => {
        refuseBadZone(body.zone)
        requireClient(viewer, body.clientId)
        if (!(await firstRow(tx, 'select 1 from client where id = $1 and retired_at is null', [body.clientId])))
          throw new ProblemError('no-such-client')
        refuseBadNetworks(body.networks)
        const row = await firstRow<{ id: number }>(
          tx,
          `insert into site (client_id, name, zone, networks) select $1, $2, $3, $4
           where not exists (select from site where client_id = $1 and lower(name) = lower($2))
           on conflict do nothing returning id`,
          [body.clientId, body.name, body.zone, body.networks],
        )
        if (!row) throw new ProblemError('already-exists', 'This client has a site of this name already.')
        const { clientId } = body
        await audit(tx, { personId: viewer.id, action: 'added', kind: 'site', id: row.id, clientId, detail: body })
        announce(tx, { topic: 'estate', clientIds: [clientId], deviceIds: [] })
        return row
      }),
  })

  route(app, {
    method: 'PUT',
    url: '/api/sites/:id/networks',
    access: 'technician',
    summary: 'Declare the networks of a site',
    answer: siteNetworksSchema,
    body: siteNetworksSchema,
    handle: ({ body, id, viewer }) =>
      inTransaction(pool, async (tx) => {
        refuseBadNetworks(body.networks)
        const row = await firstRow<{ client_id: number }>(
          tx,
          `update site set networks = $2 where id = $1 and ${ofClients('client_id', 3)} returning client_id`,
          [id(), body.networks, viewer.clientIds],
        )
        if (!row) throw new ProblemError('no-such-site')
        await lookAnew(tx, id())
        await audit(tx, {
          personId: viewer.id,
          action: 'declared networks of',
          kind: 'site',
          id: id(),
          clientId: row.client_id,
          detail: body,
        })
        announce(tx, { topic: 'estate', clientIds: [row.client_id], deviceIds: [] })
        return { networks: body.networks }
      }),
  })

  route(app, {
    method: 'GET',
    url: '/api/clients/:id',
    access: 'technician',
    summary: 'What is noted about a client and its sites',
    answer: clientDetailSchema,
    async handle({ viewer, id }): Promise<ClientDetail> {
      requireClient(viewer, id())
      const client = await firstRow<Omit<ClientDetail, 'sites' | 'contacts'>>(
        pool,
        `select id, notes, agreed, agreed_hours as "agreedHours", mail_domains as "mailDomains" from client where id = $1`,
        [id()],
      )
      if (!client) throw new ProblemError('no-such-client')
      const sites = await rows<ClientDetail['sites'][number]>(
        pool,
        'select id, notes from site where client_id = $1 order by name',
        [id()],
      )
      return { ...client, sites, contacts: await contactsOf(pool, id()) }
    },
  })

  route(app, {
    method: 'PUT',
    url: '/api/clients/:id',
    access: 'lead',
    summary: 'Call a client otherwise, or note something about it',
    answer: madeSchema,
    body: clientChangeSchema,
    handle: ({ body, id, viewer }) =>
      inTransaction(pool, async (tx) => {
        requireClient(viewer, id())
        const was = await firstRow<Required<ClientChange>>(
          tx,
          `select name, code, notes, agreed, agreed_hours as "agreedHours", mail_domains as "mailDomains"
           from client where id = $1 for update`,
          [id()],
        )
        if (!was) throw new ProblemError('no-such-client')
        const after = { ...was, ...body }
        const { name, code } = after
        if (
          await firstRow(tx, 'select from client where (lower(name) = lower($1) or code = $2) and id <> $3', [
            name,
            code,
            id(),
          ])
        )
          throw new ProblemError('already-exists', 'A client with this name or code is there already.')
        await tx.query(
          `update client set name = $2, code = $3, notes = $4, agreed = $5, agreed_hours = $6, mail_domains = $7
           where id = $1`,
          [id(), name, code, after.notes, after.agreed, after.agreedHours, after.mailDomains],
        )
        await audit(tx, {
          personId: viewer.id,
          action: 'changed',
          kind: 'client',
          id: id(),
          clientId: id(),
          detail: { ...body, was },
        })
        announce(tx, { topic: 'estate', clientIds: [id()], deviceIds: [] })
        return { id: id() }
      }),
  })

  route(app, {
    method: 'PUT',
    url: '/api/sites/:id',
    access: 'lead',
    summary: 'Call a site otherwise, say its zone and networks, or note something about it',
    answer: madeSchema,
    body: siteChangeSchema,
    handle: ({ body, id, viewer }) =>
      inTransaction(pool, async (tx) => {
        const was = await firstRow<{ client_id: ClientId } & Required<SiteChange>>(
          tx,
          `select client_id, name, zone, networks, named_addresses as named, notes from site where id = $1 and ${ofClients('client_id', 2)}
           for update`,
          [id(), viewer.clientIds],
        )
        if (!was) throw new ProblemError('no-such-site')
        const { client_id: clientId, ...before } = was
        const after = { ...before, ...body }
        if (body.zone !== undefined) refuseBadZone(body.zone)
        refuseBadNetworks(body.networks ?? [])
        refuseBadNames(body.named ?? [])
        const other = await firstRow(
          tx,
          'select from site where client_id = $1 and lower(name) = lower($2) and id <> $3',
          [clientId, after.name, id()],
        )
        if (other) throw new ProblemError('already-exists', 'This client has a site of this name already.')
        await tx.query(
          'update site set name = $2, zone = $3, networks = $4, notes = $5, named_addresses = $6 where id = $1',
          [id(), after.name, after.zone, after.networks, after.notes, after.named],
        )
        await lookAnew(tx, id())
        await audit(tx, {
          personId: viewer.id,
          action: 'changed',
          kind: 'site',
          id: id(),
          clientId,
          detail: { ...body, was: before },
        })
        announce(tx, { topic: 'estate', clientIds: [clientId], deviceIds: [] })
        return { id: id() }
      }),
  })
}
