import {
  madeSchema,
  newStandingRuleSchema,
  standingRulePreviewSchema,
  standingRulesSchema,
  type NewStandingRule,
  type StandingRulePreview,
  type StandingRuleView,
} from '#contract'
import { readNetwork, standingEffects, type DeviceKind, type Newcomer, type OsFamily, type StandingRule } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../../db'
import { ProblemError } from '../../../http/problems'
import { route } from '../../../http/route'
import { audit, ofClients, type Viewer } from '../../access'

interface RuleRow {
  id: number
  name: string
  definition: Omit<NewStandingRule, 'name'>
  created_at: number
  created_by: string | null
}

const select = `select r.id, r.name, r.definition, r.created_at, p.name as created_by from standing_rule r left
   join person p on p.id = r.created_by where r.removed_at is null`

/** Whose newcomers a rule is about; null: of every client. */
const ruleClient = `coalesce((select s.client_id from site s where s.id = (r.definition->'when'->>'siteId')::int), (r.definition->'when'->>'clientId')::int)`

/** The rules in force. */
export async function standingRules(db: Db): Promise<StandingRule[]> {
  return (await rows<RuleRow>(db, `${select} order by r.id limit 500`)).map(({ id, name, definition }) => ({
    id,
    name,
    ...definition,
  }))
}

/** @throws ProblemError where a rule reaches further than its maker may speak for, or makes no sense */
async function check(db: Db, rule: NewStandingRule, viewer: Viewer): Promise<void> {
  const fail = (at: string, detail: string, message: string): never => {
    throw new ProblemError('invalid', detail, [{ at, message }])
  }
  if (rule.when.network !== null && !readNetwork(rule.when.network))
    fail('when.network', `“${rule.when.network}” is no network. Write it like 192.0.2.0/24.`, 'not in CIDR notation')
  const unknown = await rows<{ id: string }>(
    db,
    'select r as id from unnest($1::text[]) r where r not in (select id from role)',
    [rule.roles],
  )
  if (unknown.length) fail('roles', `There is no role “${unknown[0]!.id}”.`, 'unknown role')
  const site =
    rule.when.siteId === null
      ? null
      : await firstRow<{ client_id: number }>(db, 'select client_id from site where id = $1', [rule.when.siteId])
  if (viewer.clientIds !== null) {
    const clientId = site?.client_id ?? rule.when.clientId
    if (clientId === null || !viewer.clientIds.includes(clientId))
      throw new ProblemError('not-allowed', 'You may only do this for your own clients. Choose one of them.')
  }
  if (rule.when.clientId !== null && !(await firstRow(db, 'select from client where id = $1', [rule.when.clientId])))
    fail('when.clientId', 'There is no such client.', 'unknown client')
  if (rule.when.siteId !== null && !site) fail('when.siteId', 'There is no such site.', 'unknown site')
  if (site && rule.when.clientId !== null && site.client_id !== rule.when.clientId)
    fail('when.siteId', 'This site belongs to another client: no device could ever fit.', 'of another client')
  if (!rule.roles.length && !rule.tags.length && !rule.takeDetected && !rule.notify.length)
    fail('roles', 'The rule gives nothing and tells nobody. Let it do something.', 'gives nothing')
  const people = await rows<{ id: number }>(db, `select id from person where id = any($1) and access <> 'contact'`, [
    rule.notify,
  ])
  if (people.length !== rule.notify.length) fail('notify', 'One of these people is not here.', 'unknown person')
}

interface DeviceRow {
  id: number
  name: string
  clientId: number
  clientName: string
  siteId: number
  siteName: string
  kind: DeviceKind
  osFamily: OsFamily
  roles: string[]
  tags: string[]
  addresses: string[]
  seen: string[]
}

/** What the rule would give today's devices that they do not have; it changes none of them, whatever is saved. */
async function preview(db: Db, rule: NewStandingRule, viewer: Viewer): Promise<StandingRulePreview> {
  const found = await rows<DeviceRow>(
    db,
    `
    select d.id, d.name, d.client_id as "clientId", c.name as "clientName", d.site_id as "siteId", s.name as "siteName",
    d.kind, d.os_family as "osFamily", d.roles, d.tags, d.addresses,
           array(select f.role from role_finding f where f.device_id = d.id and f.decision is null
           order by f.role) as seen
    from device d join client c on c.id = d.client_id join site s on s.id = d.site_id
    where d.retired_at is null and d.os_family is not null and ${ofClients('d.client_id', 1)} order by c.name, d.name limit 100000`,
    [viewer.clientIds],
  )
  const matching = found.flatMap((device) => {
    const effects = standingEffects([{ ...rule, id: 0 }], device satisfies Newcomer)
    const roles = [...effects.roles, ...(effects.takeDetected ? device.seen : [])]
    return effects.rules.length
      ? [
          {
            ...device,
            roles: [...new Set(roles)].filter((role) => !device.roles.includes(role)),
            tags: effects.tags.filter((tag) => !device.tags.includes(tag)),
          },
        ]
      : []
  })
  return {
    matching: matching.length,
    gaining: matching.filter((device) => device.roles.length || device.tags.length).length,
    devices: matching
      .slice(0, 200)
      .map(({ id, name, clientName, siteName, roles, tags }) => ({ id, name, clientName, siteName, roles, tags })),
  }
}

export function standingRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/standing-rules',
    access: 'technician',
    summary: 'What newly seen devices get by themselves',
    answer: standingRulesSchema,
    handle: async ({ viewer }) =>
      (
        await rows<RuleRow>(
          pool,
          `${select} and (${ruleClient} is null or ${ofClients(ruleClient, 1)}) order by r.id limit 500`,
          [viewer.clientIds],
        )
      ).map((row): StandingRuleView => ({
        id: row.id,
        name: row.name,
        ...row.definition,
        createdAt: row.created_at,
        createdBy: row.created_by ?? '',
      })),
  })
  route(app, {
    method: 'POST',
    url: '/api/standing-rules/preview',
    access: 'technician',
    summary: 'Which of today’s devices a rule would have met; saves nothing',
    answer: standingRulePreviewSchema,
    body: newStandingRuleSchema,
    async handle({ body, viewer }) {
      await check(pool, body, viewer)
      return preview(pool, body, viewer)
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/standing-rules',
    access: 'lead',
    summary: 'Add a standing rule',
    answer: madeSchema,
    body: newStandingRuleSchema,
    handle: ({ body, viewer }) =>
      inTransaction(pool, async (tx) => {
        await check(tx, body, viewer)
        const { name, ...definition } = body
        const row = (await firstRow<{ id: number }>(
          tx,
          'insert into standing_rule (name, definition, created_by) values ($1, $2, $3) returning id',
          [name, JSON.stringify(definition), viewer.id],
        ))!
        await audit(tx, { personId: viewer.id, action: 'made', kind: 'standing rule', id: row.id, detail: body })
        return row
      }),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/standing-rules/:id',
    access: 'lead',
    summary: 'Take a standing rule away; what it gave stays',
    answer: madeSchema,
    handle: ({ id, viewer }) =>
      inTransaction(pool, async (tx) => {
        const row = await firstRow<{ id: number }>(
          tx,
          `update standing_rule r set removed_at = now(), removed_by = $2
           where id = $1 and removed_at is null and ${ofClients(ruleClient, 3)} returning id`,
          [id(), viewer.id, viewer.clientIds],
        )
        if (!row) throw new ProblemError('no-such-rule')
        await audit(tx, { personId: viewer.id, action: 'removed', kind: 'standing rule', id: row.id })
        return row
      }),
  })
}
