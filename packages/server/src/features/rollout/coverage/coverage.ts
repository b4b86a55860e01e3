import {
  coveragePageSchema,
  coverageQuerySchema,
  filledSchema,
  gapDevicesSchema,
  gapRemedySchema,
  gapsSchema,
  gapsWithinSchema,
  gapWaiverSchema,
  madeSchema,
  remedyPreviewSchema,
  waiverListSchema,
  waiverQuerySchema,
  type Filled,
  type GapRemedy,
  type RemedyPreview,
} from '#contract'
import {
  countText,
  remedyFor,
  roleNeed,
  roleNeeds,
  targetSentence,
  watchKind,
  withRemedy,
  type Policy,
  type PolicyStep,
  type Remedy,
  type Target,
} from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, type Db, type Pool } from '../../../db'
import { ProblemError } from '../../../http/problems'
import { route } from '../../../http/route'
import { policyInForce, type PolicyInForce } from '../../../store/policy'
import { audit, type Viewer } from '../../access'
import { requireDevice, requireDevices } from '../../estate'
import { changePolicy, changesTo, impactOf } from '../../policy/change'
import { readEstate } from '../../policy/names'
import { writeSteps } from '../../policy/steps'
import { addCollectRule, requireTarget } from './collectRules'
import { waiverList } from './waivers'
import { coveragePage, devicesWith, gapsOfDevice, readGaps, roleNames } from './gaps'

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
  const open = await readGaps(db, viewer, {}, false)
  const names = await roleNames(db)
  const devices = new Set<number>()
  const worked: Worked[] = []
  let policy: Policy = before
  const chosen = new Set(body.deviceIds)
  const there = open.filter(({ id }) => chosen.has(id))
  for (const { need: requireId, instance } of body.gaps) {
    const found = there.flatMap(({ id, gaps }) =>
      gaps.filter((gap) => gap.need === requireId && gap.instance === instance).map((gap) => ({ ...gap, id })),
    )
    if (!found.length) continue
    for (const { id } of found) devices.add(id)
    const need = roleNeed(requireId)
    const target: Target = body.everywhere
      ? { on: 'role', role: need.role }
      : { on: 'devices', deviceIds: [...new Set(found.map(({ id }) => id))].sort((a, b) => a - b) }
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
    summary: 'What roles need and nobody collects or nobody watches, by need, client or device, in parts',
    answer: coveragePageSchema,
    query: coverageQuerySchema,
    handle: ({ viewer, query }) => coveragePage(pool, viewer, query),
  })
  route(app, {
    method: 'POST',
    url: '/api/coverage/devices',
    access: 'technician',
    summary: 'Every device that misses something',
    answer: gapDevicesSchema,
    body: gapsWithinSchema,
    handle: ({ viewer, body }) => devicesWith(pool, viewer, body),
  })
  route(app, {
    method: 'GET',
    url: '/api/devices/:id/coverage',
    access: 'technician',
    summary: 'What the roles of a device need and nobody collects or nobody watches',
    answer: gapsSchema,
    async handle({ viewer, id }) {
      await requireDevice(pool, viewer, id())
      return gapsOfDevice(pool, viewer, id())
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
    answer: waiverListSchema,
    query: waiverQuerySchema,
    handle: ({ viewer, query }) => waiverList(pool, viewer, query),
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
        await requireDevices(tx, viewer, body.deviceIds)
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
