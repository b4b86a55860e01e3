import type { AlertRule } from '#contract'
import {
  countText,
  fallsTogether,
  fewestTogether,
  groupsBy,
  mostUrgent,
  silentIntervals,
  siteSilence,
  ageText,
  steadyAtLeast,
  steadyFor,
  urgency,
  type ClientId,
  type DeviceId,
  type Evidence,
  type Millis,
  type Severity,
  type SiteAgent,
  type SiteId,
  type SiteSilence,
} from '#core'
import { firstRow, inTransaction, rows, time, type Db, type Pool } from '../db'
import { announce } from '../live'
import { addEntry } from '../store/alertEntries'
import { eachAlone } from './alone'
import { settleLater } from './settleLater'
import { explainedElsewhere, settleBehind, silentDevices } from './upstream'

/** Whose silence a person is told of, or was before the site’s: `alertId`, and what carries it. */
interface Agent extends SiteAgent {
  id: DeviceId
  alertId: number | null
  carriedBy: number | null
  severity: Severity | null
}
interface OpenAlert {
  id: number
  began: Millis
  severity: Severity
  text: string
}
interface Site {
  id: SiteId
  name: string
  clientId: ClientId
  agents: Agent[]
  open: OpenAlert | null
}

/**
 * Some sites with their agents, but for those whose silence is accounted for by what is elsewhere, in three statements
 * however many they are; those that are gone are missing.
 */
async function readSites(
  db: Db,
  ids: readonly SiteId[],
  elsewhere: ReadonlySet<DeviceId>,
  hearingSince: Millis,
  now: Millis,
): Promise<Site[]> {
  const sites = await rows<Pick<Site, 'id' | 'name' | 'clientId'>>(
    db,
    'select id, name, client_id as "clientId" from site where id = any($1) order by id',
    [ids],
  )
  const open = await rows<OpenAlert & { siteId: SiteId }>(
    db,
    `select site_id as "siteId", id, began, severity, evidence->>'text' as text from alert
     where site_id = any($1) and status <> 'closed'`,
    [ids],
  )
  const agents = await rows<Agent & { siteId: SiteId }>(
    db,
    `
    select d.site_id as "siteId", d.id, d.heard_at as "heardAt", a.id as "alertId", a.carried_by as "carriedBy",
      a.severity, a.id is not null as "isAlerting",
      a.id is not null or greatest(d.heard_at, $2) < $3::timestamptz
        - make_interval(secs => $4::float8 * coalesce(d.reported_interval_ms, d.interval_ms) / 1000) as "isQuiet",
      exists (select from held h
        where h.device_id = d.id and h.ended_at is null and h.rule->>'kind' = 'silence') as "isHeld"
    from device d
    left join lateral (select id, carried_by, severity from alert
      where device_id = d.id and status <> 'closed' and rule->>'kind' = 'silence' and well_since is null
      order by id limit 1) a on true
    where d.site_id = any($1) and d.retired_at is null and d.heard_at is not null`,
    [ids, time(hearingSince), time(now), silentIntervals],
  )
  const openOf = new Map(open.map(({ siteId, ...alert }) => [siteId, alert]))
  const agentsOf = groupsBy(
    agents.filter(({ id }) => !elsewhere.has(id)),
    ({ siteId }) => siteId,
  )
  return sites.map((site) => ({
    ...site,
    agents: agentsOf.get(site.id) ?? [],
    open: openOf.get(site.id) ?? null,
  }))
}

const rule: AlertRule = {
  name: 'Site silent',
  kind: 'site',
  sentence: [
    {
      text: `When most agents of a site fall silent within ${ageText(fallsTogether)}, and at least ${fewestTogether} of them are told of, raise one alert for the site, which carries theirs; clear when no more than a quarter is silent.`,
    },
  ],
  sources: [],
}
const evidenceOf = ({ name }: Site, { silent, of }: SiteSilence): Evidence => ({
  subject: name,
  text: `${name} is silent: nothing heard from ${silent} of ${countText(of, 'agent')}`,
  value: silent,
})

/** What is to be done for a site; null: all is as it should be. */
interface Due {
  silence: SiteSilence | null
  carried: Agent[]
  freed: Agent[]
}
function dueOf(site: Site): Due | null {
  const { open, agents } = site
  const silence = siteSilence(agents, open?.began ?? null)
  const members = silence
    ? agents.filter(({ alertId, heardAt }) => alertId !== null && heardAt !== null && heardAt >= silence.began)
    : []
  const carried = members.filter(({ carriedBy }) => carriedBy === null || carriedBy !== open?.id)
  const freed = agents.filter((agent) => open && agent.carriedBy === open.id && !members.includes(agent))
  const severity = mostUrgent(members.map((member) => member.severity))
  const isSame =
    open === null
      ? silence === null
      : silence !== null &&
        evidenceOf(site, silence).text === open.text &&
        (severity === null || severity === open.severity)
  return isSame && !carried.length && !freed.length ? null : { silence, carried, freed }
}

/** Raises, brings up to date or closes the alert of a site, and has it carry those of its devices. */
async function settleSite(
  tx: Db,
  id: SiteId,
  elsewhere: ReadonlySet<DeviceId>,
  hearingSince: Millis,
  now: Millis,
): Promise<void> {
  // One process at a time; then the devices, as everything that changes what is open on them.
  await tx.query('select from site where id = $1 for no key update', [id])
  await tx.query(
    `select from device where id in (select a.device_id from alert a join device d on d.id = a.device_id
       where d.site_id = $1 and a.status <> 'closed' and a.rule->>'kind' = 'silence') order by id for update`,
    [id],
  )
  const [site] = await readSites(tx, [id], elsewhere, hearingSince, now)
  const due = site && dueOf(site)
  if (!site || !due) return
  const { silence, carried, freed } = due
  let alertId = site.open?.id ?? null
  if (silence && alertId === null) {
    const severity = mostUrgent(carried.map((each) => each.severity)) ?? 'critical'
    const evidence = evidenceOf(site, silence)
    const made = await firstRow<{ id: number }>(
      tx,
      `
      insert into alert (site_id, client_id, watch, instance, severity, status, began, raised_at, evidence, rule)
      values ($1, $2, 'site', '', $3, 'open', $4, $5, $6, $7) returning id`,
      [id, site.clientId, severity, time(silence.began), time(now), JSON.stringify(evidence), JSON.stringify(rule)],
    )
    alertId = made!.id
    await addEntry(tx, alertId, { at: now, event: 'raised', detail: { to: severity }, text: evidence.text })
  } else if (silence) {
    const severity = mostUrgent(
      site.agents.filter(({ heardAt }) => heardAt !== null && heardAt >= silence.began).map((each) => each.severity),
    )
    // Whoever hid it did not mean what is worse.
    const isWorse = urgency(severity) > urgency(site.open!.severity)
    await tx.query(
      `update alert set evidence = $2, severity = coalesce($3, severity),
         hidden_until = case when not $4 then hidden_until end where id = $1`,
      [alertId, JSON.stringify(evidenceOf(site, silence)), severity, isWorse],
    )
    if (severity !== null && severity !== site.open!.severity)
      await addEntry(tx, alertId!, {
        at: now,
        event: 'severity-changed',
        detail: { from: site.open!.severity, to: severity },
      })
  } else {
    await tx.query(
      `update alert set status = 'closed', closed_at = $2, close_reason = 'cleared', offered_to = null,
         offered_by = null, hidden_until = null, follow_up_at = null, follow_up_word = '' where id = $1`,
      [alertId, time(now)],
    )
    await addEntry(tx, alertId!, { at: now, event: 'closed', detail: { reason: 'cleared' } })
    // Also those whose silence flips, and that are heard at this moment. What is behind a device here is freed there.
    await tx.query(
      `update alert set carried_by = null where carried_by = $1 and status <> 'closed'
         and device_id in (select id from device where site_id = $2)`,
      [alertId, id],
    )
  }
  const carry = (agents: readonly Agent[], by: number | null) =>
    tx.query(`update alert set carried_by = $2 where id = any($1) and status <> 'closed'`, [
      agents.map((agent) => agent.alertId),
      by,
    ])
  await carry(freed, null)
  if (silence) await carry(carried, alertId)
  announce(tx, {
    topic: 'alerts',
    clientIds: [site.clientId],
    deviceIds: [...carried, ...freed].map((agent) => agent.id),
  })
}

/**
 * Sites where enough devices are silent, or that have an alert; then what is silent behind a silent device.
 * @param since as of `hearingSince`
 */
export async function settleSites(pool: Pool, since: Millis, now: Millis): Promise<void> {
  const silent = await silentDevices(pool)
  const open = await rows<{ id: SiteId }>(
    pool,
    `select site_id as id from alert where status <> 'closed' and site_id is not null`,
  )
  const many = groupsBy([...silent.values()], ({ siteId }) => siteId)
  const ids = new Set([
    ...open.map(({ id }) => id),
    ...[...many].flatMap(([id, devices]) => (devices.length >= fewestTogether ? [id] : [])),
  ])
  const elsewhere = explainedElsewhere(silent)
  const read = ids.size ? await readSites(pool, [...ids], elsewhere, since, now) : []
  const isBehind = [...silent.values()].some(
    ({ upstream, carriedBy, carrierSite, siteId }) =>
      upstream !== null || (carriedBy !== null && carrierSite !== siteId),
  )
  await eachAlone(
    [
      ...read.filter(dueOf).map(
        ({ id }) =>
          () =>
            inTransaction(pool, (tx) => settleSite(tx, id, elsewhere, since, now)),
      ),
      ...(isBehind ? [() => settleBehind(pool, now)] : []),
    ],
    (work) => work(),
  )
}

/** Posts that flipped and have been well for long enough: their devices are looked at, which closes their alerts. */
export async function settleSteady(pool: Pool, now: Millis): Promise<void> {
  await inTransaction(pool, async (tx) => {
    const well = await rows<{ id: DeviceId; well_since: Millis; flips: Millis[] }>(
      tx,
      `
      select device_id as id, well_since,
        array(select floor(extract(epoch from f) * 1000)::float8 from unnest(flips_at) f order by f) as flips
      from alert a where well_since <= $1 and status <> 'closed'
        and not exists (select from alert s where s.device_id = a.device_id and s.status <> 'closed' and s.rule->>'kind' = 'silence'
          and s.well_since is null) order by well_since`,
      [time(now - steadyAtLeast)],
    )
    const steady = well.filter(({ well_since, flips }) => well_since <= now - steadyFor(flips)).map(({ id }) => id)
    if (steady.length) await settleLater(tx, [...new Set(steady)].slice(0, 500), now)
  })
}
