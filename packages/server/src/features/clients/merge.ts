import type { ClientMerge, MergePreview } from '#contract'
import { conditionsOf, withoutClient, type ClientId, type SiteId, type Target } from '#core'
import { firstRow, rows, type Db } from '../../db'
import { lookAtAll, reevaluateAll } from '../../engine'
import { ProblemError } from '../../http/problems'
import { announce } from '../../live'
import { policyAsChanged } from '../../store/policy'
import { audit, type Viewer } from '../access'
import { takeClient, type TakenClient } from './retire'

/** What has a target, each change of it a revision of its own. A rule of call-outs has it within. */
const targeted = [
  { view: 'assignment', table: 'assignment_revision', target: 'r.target', of: 'policy' },
  { view: 'exception', table: 'exception_revision', target: 'r.target', of: 'policy' },
  { view: 'maintenance_window', table: 'window_revision', target: 'r.target', of: 'window' },
  { view: 'callout_rule', table: 'callout_revision', target: `r.rule->'target'`, of: 'callout' },
] as const

interface Targeted {
  id: number
  target: Target
  isMail: boolean
}
const speaksOf = (target: Target, clientId: ClientId) =>
  conditionsOf(target).some((condition) => condition.on === 'client' && condition.clientId === clientId)

/** What speaks of the client by its name. */
async function affected(db: Db, clientId: ClientId): Promise<Map<(typeof targeted)[number], Targeted[]>> {
  const found = new Map<(typeof targeted)[number], Targeted[]>()
  for (const each of targeted) {
    const all = await rows<Targeted>(
      db,
      `select r.id, ${each.target} as target, ${each.of === 'callout' ? `r.rule->>'about' = 'mail'` : 'false'} as "isMail"
       from ${each.view} r order by r.id`,
    )
    found.set(
      each,
      all.filter(({ target }) => speaksOf(target, clientId)),
    )
  }
  return found
}

async function both(
  tx: Db,
  viewer: Viewer,
  fromId: ClientId,
  intoId: ClientId,
): Promise<{ from: TakenClient; into: TakenClient }> {
  if (fromId === intoId)
    throw new ProblemError('invalid', 'A client cannot be merged with itself. Choose the other one.', [
      { at: 'into', message: 'the same client' },
    ])
  await tx.query('select from client where id = any($1) order by id for update', [[fromId, intoId]])
  const from = await takeClient(tx, viewer, fromId)
  const into = await takeClient(tx, viewer, intoId)
  if (into.retired_at !== null)
    throw new ProblemError('invalid', `${into.name} is out of use. Choose a client that is looked after.`, [
      { at: 'into', message: 'out of use' },
    ])
  return { from, into }
}

/** Devices of both that are called the same: names are one client’s, so somebody has to say which is which. */
async function clashesOf(db: Db, fromId: ClientId, intoId: ClientId): Promise<string[]> {
  const found = await rows<{ name: string }>(
    db,
    `select a.name from device a join device b on b.client_id = $2 and lower(b.name) = lower(a.name)
       and b.retired_at is null
     where a.client_id = $1 and a.retired_at is null order by 1`,
    [fromId, intoId],
  )
  return found.map(({ name }) => name)
}

export async function mergePreview(
  db: Db,
  viewer: Viewer,
  fromId: ClientId,
  { into }: ClientMerge,
): Promise<MergePreview> {
  await both(db, viewer, fromId, into)
  const counts = await firstRow<{ sites: number; devices: number }>(
    db,
    `select (select count(*)::int from site where client_id = $1) as sites,
       (select count(*)::int from device where client_id = $1 and retired_at is null) as devices`,
    [fromId],
  )
  const people = await rows<{ name: string }>(
    db,
    `select name from person where deactivated_at is null
       and client_ids is not null and client_ids && $1 and not client_ids @> $1 order by name`,
    [[fromId, into]],
  )
  let rules = 0
  for (const list of (await affected(db, fromId)).values()) rules += list.length
  return {
    ...counts!,
    clashes: await clashesOf(db, fromId, into),
    people: people.map(({ name }) => name),
    rules,
  }
}

/**
 * Makes one client a part of another: its sites, devices and all that is known of them are that one’s. What was said of
 * the client is said of its former sites, so that it reaches what it reached. Whoever saw one of both sees both.
 */
export async function mergeClients(
  tx: Db,
  viewer: Viewer,
  fromId: ClientId,
  { into: intoId }: ClientMerge,
): Promise<{ id: ClientId }> {
  const { from, into } = await both(tx, viewer, fromId, intoId)
  const clashes = await clashesOf(tx, fromId, intoId)
  if (clashes.length)
    throw new ProblemError(
      'name-in-use',
      `Both have ${clashes.length === 1 ? 'a device' : 'devices'} named ${clashes.slice(0, 5).join(', ')}${clashes.length > 5 ? ` and ${clashes.length - 5} more` : ''}. Rename them at one of both first.`,
    )
  // As every change of policy begins.
  await tx.query('select version from policy_mark for update')
  const devices = await rows<{ id: number }>(
    tx,
    'select id from device where client_id = any($1) order by id for update',
    [[fromId, intoId]],
  )
  const sites = await moveSites(tx, from, into)
  await sayOfSites(tx, viewer, { fromId, intoId, sites })
  await splitStandingRules(tx, fromId, intoId, sites)
  await moveRest(tx, fromId, intoId)
  await policyAsChanged(tx)
  await reevaluateAll(tx, new Map(devices.map(({ id }) => [id, null])), Date.now())
  await lookAtAll(tx)
  await audit(tx, {
    personId: viewer.id,
    action: 'merged',
    kind: 'client',
    id: intoId,
    clientId: intoId,
    detail: { from: fromId, name: from.name },
  })
  await tx.query(
    `update client c set mail_domains = (select coalesce(array_agg(distinct d), '{}') from unnest(c.mail_domains || o.mail_domains) d),
       notes = left(concat_ws(E'\\n', nullif(c.notes, ''), nullif(o.notes, '')), 4000)
     from client o where c.id = $1 and o.id = $2`,
    [intoId, fromId],
  )
  await tx.query('delete from client where id = $1', [fromId])
  announce(tx, { topic: 'estate', clientIds: null, deviceIds: [] })
  announce(tx, { topic: 'policy', clientIds: null, deviceIds: [] })
  return { id: intoId }
}

/** A site that is called as one of the other client gets the name of its own beside it. */
async function moveSites(tx: Db, from: TakenClient, into: TakenClient): Promise<SiteId[]> {
  const moved = await rows<{ id: SiteId }>(
    tx,
    `update site s set client_id = $2,
       name = case when exists (select from site o where o.client_id = $2 and lower(o.name) = lower(s.name))
         then left(s.name, 80) || ' (' || $3 || ')' else s.name end
     where client_id = $1 returning id`,
    [from.id, into.id, from.code],
  )
  return moved.map(({ id }) => id).toSorted((a, b) => a - b)
}

/** Each as a revision of its own, made by whoever merges: what was in force before stays on record. */
async function sayOfSites(
  tx: Db,
  viewer: Viewer,
  { fromId, intoId, sites }: { fromId: ClientId; intoId: ClientId; sites: readonly SiteId[] },
): Promise<void> {
  for (const [{ view, table, of }, list] of await affected(tx, fromId))
    for (const { id, target, isMail } of list) {
      // Mail is of a client, and has no site.
      const next: Target = isMail ? { on: 'client', clientId: intoId } : withoutClient(target, fromId, sites)
      await tx.query(
        `insert into ${table} select (jsonb_populate_record(null::${table}, to_jsonb(r)
           || jsonb_build_object('revision', r.revision + 1, 'saved_by', $2::int, 'saved_at', now())
           || case $3 when 'callout' then jsonb_build_object('rule', r.rule_or || jsonb_build_object('target', $4::jsonb))
             else jsonb_build_object('target', $4::jsonb) end)).*
         from (select v.*, ${of === 'callout' ? 'v.rule' : `'{}'::jsonb`} as rule_or from ${view} v) r where r.id = $1`,
        [id, viewer.id, of, JSON.stringify(next)],
      )
    }
  await tx.query('update window_revision set client_id = $2 where client_id = $1', [fromId, intoId])
  await tx.query('update callout_revision set client_id = $2 where client_id = $1', [fromId, intoId])
  const collecting = await rows<Omit<Targeted, 'isMail'>>(
    tx,
    'select id, target from collect_rule where removed_at is null',
  )
  for (const { id, target } of collecting.filter((each) => speaksOf(each.target, fromId)))
    await tx.query('update collect_rule set target = $2 where id = $1', [
      id,
      JSON.stringify(withoutClient(target, fromId, sites)),
    ])
}

/** A rule for newcomers is of one site at most: one for the whole client becomes one for each of its sites. */
async function splitStandingRules(tx: Db, fromId: ClientId, intoId: ClientId, sites: readonly SiteId[]): Promise<void> {
  await tx.query(
    `insert into standing_rule (name, definition, created_by, created_at)
     select r.name || ' (' || s.name || ')', jsonb_set(jsonb_set(r.definition, '{when,clientId}', to_jsonb($2::int)),
         '{when,siteId}', to_jsonb(s.id)), r.created_by, r.created_at
     from standing_rule r cross join site s
     where r.removed_at is null and (r.definition#>>'{when,clientId}')::int = $1
       and r.definition#>>'{when,siteId}' is null and s.id = any($3)`,
    [fromId, intoId, sites],
  )
  await tx.query(
    `update standing_rule set removed_at = now() where removed_at is null
       and (definition#>>'{when,clientId}')::int = $1 and definition#>>'{when,siteId}' is null`,
    [fromId],
  )
  await tx.query(
    `update standing_rule set definition = jsonb_set(definition, '{when,clientId}', to_jsonb($2::int))
     where removed_at is null and (definition#>>'{when,clientId}')::int = $1`,
    [fromId, intoId],
  )
}

/** Tables whose rows are of a client, beside those that are told of above. */
const ofClient = [
  'device',
  'alert',
  'held',
  'remediation',
  'response',
  'device_past',
  'credential',
  'enrolment_key',
  'calendar_feed',
  'request',
  'history_load',
] as const

async function moveRest(tx: Db, fromId: ClientId, intoId: ClientId): Promise<void> {
  for (const table of ofClient)
    await tx.query(`update ${table} set client_id = $2 where client_id = $1`, [fromId, intoId])
  await tx.query(
    `update contact c set client_id = $2 where client_id = $1 and (email = '' or not exists
       (select from contact o where o.client_id = $2 and lower(o.email) = lower(c.email)))`,
    [fromId, intoId],
  )
  for (const table of ['person', 'token'])
    await tx.query(
      `update ${table} set client_ids = array(select distinct unnest(array_replace(client_ids, $1, $2)) order by 1)
       where $1 = any(client_ids)`,
      [fromId, intoId],
    )
  // What groups of the identity provider may see.
  await tx.query(
    `update identity_provider set rules = (select jsonb_agg(case when g->'clientIds' @> to_jsonb($1::int)
         then jsonb_set(g, '{clientIds}', (select jsonb_agg(distinct case when c = to_jsonb($1::int) then to_jsonb($2::int) else c end)
           from jsonb_array_elements(g->'clientIds') c)) else g end) from jsonb_array_elements(rules) g)
     where jsonb_path_exists(rules, '$[*].clientIds[*] ? (@ == $c)', jsonb_build_object('c', $1::int))`,
    [fromId, intoId],
  )
}
