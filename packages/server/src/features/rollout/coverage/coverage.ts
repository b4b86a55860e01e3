import {
  filledSchema,
  gapRemedySchema,
  gapsSchema,
  gapWaiverSchema,
  madeSchema,
  remedyPreviewSchema,
  waiversSchema,
  type Filled,
  type GapDevice,
  type GapRemedy,
  type GapView,
  type RemedyPreview,
  type WaiverView,
} from '#contract'
import {
  collectingFor,
  countText,
  coverageGaps,
  factsAsked,
  matchesAny,
  remedyFor,
  roleNeed,
  roleNeeds,
  targetSentence,
  watchKind,
  withRemedy,
  type Collecting,
  type CoverageGap,
  type Facts,
  type Policy,
  type PolicyStep,
  type Remedy,
  type Target,
} from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../../db'
import { ProblemError } from '../../../http/problems'
import { route } from '../../../http/route'
import { audit, ofClients, type Viewer } from '../../access'
import { requireDevice, traitColumns, traitsOf, type TraitsRow } from '../../estate'
import { changePolicy, changesTo, impactOf } from '../../policy/change'
import { readEstate } from '../../policy/names'
import { writeSteps } from '../../policy/steps'
import { policyInForce, targetsOf, type PolicyInForce } from '../../../store/policy'
import { collectRules } from '../../../store/collecting'
import { addCollectRule, requireTarget } from './collectRules'

interface DeviceRow extends TraitsRow {
  client_name: string
  site_name: string
  version: number
  /** Another one when any of its facts that are asked for was told anew. */
  told: number
}

/** Devices whose roles have needs. One hash join with the times of their facts, whose values are not read. */
async function devicesWithNeeds(
  db: Db,
  viewer: Viewer,
  deviceId: number | null,
  asked: readonly (keyof Facts)[],
): Promise<DeviceRow[]> {
  return rows<DeviceRow>(
    db,
    `
    select ${traitColumns}, d.version, c.name as client_name, s.name as site_name, coalesce(f.told, 0) as told
    from device d join client c on c.id = d.client_id join site s on s.id = d.site_id
    left join (
      select device_id, sum(extract(epoch from at))::float8 as told from current_fact
      where subject = any($4) and ($3::int is null or device_id = $3) group by device_id
    ) f on f.device_id = d.id
    where d.retired_at is null and d.roles && $2 and ${ofClients('d.client_id', 1)} and ($3::int is null or d.id = $3)
    order by c.name, d.name limit 20000`,
    [viewer.clientIds, [...new Set(roleNeeds.map((need) => need.role))], deviceId, asked],
  )
}

async function factsOf(
  db: Db,
  ids: readonly number[],
  asked: readonly (keyof Facts)[],
): Promise<ReadonlyMap<number, Facts>> {
  const found = new Map<number, Facts>(ids.map((id) => [id, {}]))
  // By the primary key (device, subject).
  for (const { device_id, subject, value } of await rows<{ device_id: number; subject: keyof Facts; value: never }>(
    db,
    'select device_id, subject, value from current_fact where device_id = any($1) and subject = any($2) limit 200000',
    [ids, asked],
  ))
    found.get(device_id)![subject] = value
  return found
}

/**
 * What was found of each device, for as long as policy, rules and the device stay as they were: a copy that carries the
 * numbers it was read at. Most devices are as they were a minute ago, and their facts need not be read again.
 */
let known = { of: '', gaps: new Map<number, { at: string; gaps: CoverageGap[] }>() }

/** What is asked for already and not there yet wants no second rule: its agent has to be heard first, or cannot. */
function asAsked(gap: CoverageGap, { logs, collectors }: Collecting): CoverageGap {
  const asked =
    gap.uncollected &&
    (roleNeed(gap.need).of.on === 'log'
      ? matchesAny(logs, gap.instance)
      : collectors.some((collector) => collector === gap.instance))
  return asked
    ? {
        ...gap,
        uncollected: false,
        trouble: gap.trouble ? `cannot be read there: ${gap.trouble}` : 'asked for, and not begun yet',
      }
    : gap
}

type DeviceGap = CoverageGap & { device: GapDevice }

/** @param remember false within a transaction that writes: what it reads may never come true */
async function gapsOf(
  db: Db,
  viewer: Viewer,
  { deviceId = null, remember = true }: { deviceId?: number | null; remember?: boolean } = {},
): Promise<DeviceGap[]> {
  const policy = await policyInForce(db)
  const asked = [...new Set<keyof Facts>(['services', 'logs', 'system', ...factsAsked(targetsOf(policy))])]
  const devices = await devicesWithNeeds(db, viewer, deviceId, asked)
  const rules = await collectRules(db, policy.version)
  const of = `${policy.version} ${JSON.stringify(rules)}`
  if (known.of !== of) known = { of, gaps: new Map() }
  const found = remember ? known.gaps : new Map(known.gaps)
  const markOf = ({ version, told }: DeviceRow) => `${version} ${told}`
  const moved = devices.filter((row) => found.get(row.id)?.at !== markOf(row))
  const facts = await factsOf(
    db,
    moved.map((row) => row.id),
    asked,
  )
  for (const row of moved) {
    const traits = traitsOf(row, facts.get(row.id)!)
    const roster = policy.compiled.roster(traits)
    const collecting = collectingFor(traits, rules, roster)
    const gaps = coverageGaps(traits, traits.facts, roster).map((gap) => asAsked(gap, collecting))
    found.set(row.id, { at: markOf(row), gaps })
  }
  const waived = new Set(
    (
      await rows<{ key: string }>(
        db,
        `select device_id || ' ' || need || ' ' || instance as key from coverage_waiver where device_id = any($1)
         limit 100000`,
        [devices.map((device) => device.id)],
      )
    ).map((row) => row.key),
  )
  return devices.flatMap((row) => {
    const device: GapDevice = {
      id: row.id,
      name: row.name,
      clientId: row.client_id,
      clientName: row.client_name,
      siteName: row.site_name,
    }
    return found
      .get(row.id)!
      .gaps.filter((gap) => !waived.has(`${row.id} ${gap.need} ${gap.instance}`))
      .map((gap) => ({ ...gap, device }))
  })
}

async function roleNames(db: Db): Promise<Map<string, string>> {
  return new Map(
    (await rows<{ id: string; name: string }>(db, 'select id, name from role limit 1000')).map((row) => [
      row.id,
      row.name,
    ]),
  )
}

function grouped(gaps: readonly DeviceGap[], names: ReadonlyMap<string, string>): GapView[] {
  const groups = new Map<string, GapView>()
  for (const { need: requireId, instance, uncollected, unwatched, trouble, device } of gaps) {
    const need = roleNeed(requireId)
    const key = JSON.stringify([requireId, instance, uncollected, unwatched, trouble])
    const group = groups.get(key) ?? {
      need: requireId,
      instance,
      on: need.of.on,
      role: need.role,
      roleName: names.get(need.role) ?? need.role,
      why: need.why,
      uncollected,
      unwatched,
      trouble,
      devices: [],
    }
    group.devices.push(device)
    groups.set(key, group)
  }
  return [...groups.values()].sort(
    (a, b) => b.devices.length - a.devices.length || (a.need + a.instance < b.need + b.instance ? -1 : 1),
  )
}

interface Worked {
  remedy: Remedy
  /** The policy with it, and with those before it. */ after: Policy
}

/**
 * Works the remedies out anew from how things are now, each on top of the one before.
 * @throws ProblemError when nothing is missing (any more)
 */
async function remediesOf(
  db: Db,
  viewer: Viewer,
  body: GapRemedy,
  before: PolicyInForce,
): Promise<{ worked: Worked[]; devices: number }> {
  const open = await gapsOf(db, viewer, { remember: false })
  const names = await roleNames(db)
  const devices = new Set<number>()
  const worked: Worked[] = []
  let policy: Policy = before
  for (const { need: requireId, instance } of body.gaps) {
    const found = open.filter(
      (gap) => gap.need === requireId && gap.instance === instance && body.deviceIds.includes(gap.device.id),
    )
    if (!found.length) continue
    for (const gap of found) devices.add(gap.device.id)
    const need = roleNeed(requireId)
    const target: Target = body.everywhere
      ? { on: 'role', role: need.role }
      : { on: 'devices', deviceIds: found.map((gap) => gap.device.id).sort((a, b) => a - b) }
    await requireTarget(db, viewer, target)
    const remedy = remedyFor(
      {
        need: requireId,
        instance,
        uncollected: found.some((gap) => gap.uncollected),
        unwatched: found.some((gap) => gap.unwatched),
      },
      target,
      policy,
      names.get(need.role) ?? need.role,
    )
    policy = withRemedy(policy, remedy, Date.now())
    worked.push({ remedy, after: policy })
  }
  if (!worked.length)
    throw new ProblemError('invalid', 'Nothing is missing there any more. Somebody may have added it meanwhile.', [
      { at: 'gaps', message: 'no such gap' },
    ])
  if (viewer.access !== 'lead' || viewer.clientIds !== null) await requireOnly(db, devices, before, policy)
  return { worked, devices: devices.size }
}

/**
 * A template that gets one more watch may be assigned elsewhere, too.
 * @throws ProblemError not-allowed when devices change that were not chosen
 */
async function requireOnly(db: Db, chosen: ReadonlySet<number>, before: PolicyInForce, after: Policy): Promise<void> {
  const others = (await changesTo(db, before, after)).filter((change) => !chosen.has(change.device.id)).length
  if (others)
    throw new ProblemError(
      'not-allowed',
      `The template for this is assigned elsewhere, too: ${countText(others, 'device')} that you did not choose would change. That is decided by a lead.`,
    )
}

async function preview(db: Db, viewer: Viewer, body: GapRemedy): Promise<RemedyPreview> {
  const policy = await policyInForce(db)
  const { worked } = await remediesOf(db, viewer, body, policy)
  const { after } = worked.at(-1)!
  const changed = await changesTo(db, policy, after)
  const keys = new Set(changed.flatMap((roster) => roster.changes.map((change) => change.key)))
  const estate = await readEstate(db, viewer.clientIds)
  const placed = new Map(
    worked.flatMap(({ remedy: { template, target } }) =>
      template ? [[`${template.name} ${JSON.stringify(target)}`, { name: template.name, target }]] : [],
    ),
  )
  const specs = after.templates
    .filter((template) => [...placed.values()].some(({ name }) => name === template.name))
    .flatMap((template) => template.watches)
  return {
    collect: {
      logs: worked.flatMap((gap) => gap.remedy.collect?.logs ?? []),
      collectors: worked.flatMap((gap) => gap.remedy.collect?.collectors ?? []),
    },
    templates: [...placed.values()].map(({ name, target }) => ({
      name,
      made: !policy.templates.some((template) => template.name === name),
      targetText: targetSentence(target, estate),
    })),
    watches: specs
      .filter((spec) => keys.has(spec.key))
      .map((spec) => {
        const kind = watchKind(spec.kind)
        return {
          name: spec.name,
          sentence: kind.sentence({
            ...Object.fromEntries(kind.parameters.map((parameter) => [parameter.name, parameter.default])),
            ...spec.values,
          }),
        }
      }),
    impact: await impactOf(db, changed, viewer.clientIds),
  }
}

async function fill(tx: Db, viewer: Viewer, body: GapRemedy): Promise<Filled> {
  const before = await policyInForce(tx)
  const { worked, devices } = await remediesOf(tx, viewer, body, before)
  const reason = 'Its role needs it, and it was missing'
  for (const {
    remedy: { collect, target },
  } of worked)
    if (collect) await addCollectRule(tx, target, collect, reason, viewer)
  const { after } = worked.at(-1)!
  const placed = new Map(
    worked.flatMap(({ remedy: { template, target } }) =>
      template ? [[`${template.name} ${JSON.stringify(target)}`, { template, target }]] : [],
    ),
  )
  const steps: PolicyStep[] = []
  const ids = new Map<string, number>()
  for (const { template, target } of placed.values()) {
    const wanted = after.templates.find((candidate) => candidate.name === template.name)!
    const known = before.templates.find((candidate) => candidate.name === template.name)
    let templateId = known?.id ?? ids.get(template.name)
    if (!ids.has(template.name)) {
      const added = wanted.watches.filter((watch) => known?.watches.every((spec) => spec.key !== watch.key) ?? true)
      templateId ??= -1 - ids.size
      ids.set(template.name, templateId)
      const body = {
        name: template.name,
        description:
          known?.description ?? 'Watches for what was found on devices with this role and nothing looked at.',
        includes: known?.includes ?? [],
        watches: [...wanted.watches],
      }
      if (added.length || !known)
        steps.push({
          of: 'template',
          id: templateId,
          basedOn: known?.revision ?? 0,
          note: known ? `Added: ${added.map((watch) => watch.name).join(', ')}` : '',
          to: body,
        })
    }
    steps.push({
      of: 'assignment',
      id: -1000 - steps.length,
      basedOn: 0,
      to: { templateId: templateId!, target, rank: 100, values: {}, dormant: false, reason, reviewAt: null },
    })
  }
  // Who may say so was decided with the target.
  if (steps.length) await writeSteps(tx, before, steps, viewer, Date.now())
  return { devices }
}

export function coverageRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/coverage',
    access: 'technician',
    summary: 'What roles need and nobody collects or nobody watches',
    answer: gapsSchema,
    handle: async ({ viewer }) => grouped(await gapsOf(pool, viewer), await roleNames(pool)),
  })
  route(app, {
    method: 'GET',
    url: '/api/devices/:id/coverage',
    access: 'technician',
    summary: 'What the roles of a device need and nobody collects or nobody watches',
    answer: gapsSchema,
    async handle({ viewer, id }) {
      await requireDevice(pool, viewer, id())
      return grouped(await gapsOf(pool, viewer, { deviceId: id() }), await roleNames(pool))
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/coverage/preview',
    access: 'technician',
    summary: 'What closing a gap would add; saves nothing',
    answer: remedyPreviewSchema,
    body: gapRemedySchema,
    handle: ({ viewer, body }) => preview(pool, viewer, body),
  })
  route(app, {
    method: 'POST',
    url: '/api/coverage/fill',
    access: 'technician',
    summary: 'Close a gap: collect it and watch it',
    answer: filledSchema,
    body: gapRemedySchema,
    handle: ({ viewer, body }) =>
      inTransaction(pool, (tx) => changePolicy(tx, Date.now(), () => fill(tx, viewer, body))),
  })
  route(app, {
    method: 'GET',
    url: '/api/coverage/waivers',
    access: 'technician',
    summary: 'What was said not to be needed, and why',
    answer: waiversSchema,
    handle: async ({ viewer }): Promise<WaiverView[]> =>
      rows<WaiverView>(
        pool,
        `
      select w.need, w.instance, w.reason, w.created_at as at, coalesce(p.name, '') as by,
             json_build_object('id', d.id, 'name', d.name, 'clientId', d.client_id, 'clientName', c.name, 'siteName',
             s.name) as device
      from coverage_waiver w join device d on d.id = w.device_id join client c on c.id = d.client_id
      join site s on s.id = d.site_id left join person p on p.id = w.created_by
      where d.retired_at is null and ${ofClients('d.client_id', 1)} order by w.created_at desc, d.name limit 5000`,
        [viewer.clientIds],
      ),
  })
  route(app, {
    method: 'POST',
    url: '/api/coverage/waivers',
    access: 'technician',
    summary: 'Say that something is not needed on some devices',
    answer: filledSchema,
    body: gapWaiverSchema,
    handle: ({ viewer, body }) =>
      inTransaction(pool, async (tx) => {
        if (!roleNeeds.some((need) => need.id === body.need))
          throw new ProblemError('no-such-need', `No role has a need “${body.need}”.`)
        for (const deviceId of body.deviceIds) await requireDevice(tx, viewer, deviceId)
        await tx.query(
          `insert into coverage_waiver (device_id, need, instance, reason, created_by) select d, $2, $3, $4, $5
           from unnest($1::int[]) d on conflict (device_id, need, instance) do update
           set reason = excluded.reason, created_by = excluded.created_by, created_at = now()`,
          [body.deviceIds, body.need, body.instance, body.reason, viewer.id],
        )
        await audit(tx, { personId: viewer.id, action: 'said not needed', kind: 'coverage', id: null, detail: body })
        return { devices: body.deviceIds.length }
      }),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/devices/:id/waivers',
    access: 'technician',
    summary: 'Tell of everything again that was said not to be needed on a device',
    answer: madeSchema,
    handle: ({ viewer, id }) =>
      inTransaction(pool, async (tx) => {
        await requireDevice(tx, viewer, id())
        const gone = await firstRow(
          tx,
          'with gone as (delete from coverage_waiver where device_id = $1 returning 1) select 1 from gone limit 1',
          [id()],
        )
        if (!gone) throw new ProblemError('no-such-waiver')
        await audit(tx, { personId: viewer.id, action: 'removed', kind: 'coverage', id: id() })
        return { id: id() }
      }),
  })
}
