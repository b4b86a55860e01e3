import {
  exportedPolicySchema,
  exportSelectionSchema,
  impactSchema,
  keepValueSchema,
  keptValueSchema,
  madeSchema,
  newAssignmentSchema,
  newExceptionSchema,
  newTemplateSchema,
  policyChangedSchema,
  policyChangeSchema,
  policyGridSchema,
  policyListingSchema,
  policyTextSchema,
  rosterSchema,
  targetMatchesSchema,
  targetTrialSchema,
  templatePageSchema,
  templateSummariesSchema,
  textTrialSchema,
  whatIfSchema,
  type ExportedPolicy,
  type Impact,
  type PolicyChanged,
  type RosterWatch,
  type TargetMatches,
  type TextTrial,
} from '#contract'
import {
  compareRosters,
  keepForPresent,
  matcher,
  targetFaults,
  targetSentence,
  watchKind,
  withSteps,
  type DeviceTraits,
  type Millis,
  type PolicyStep,
  type Target,
} from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, time, type Db, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { pastRoute } from '../../http/past'
import { route } from '../../http/route'
import { mayChangeAll, requireClient, type Viewer } from '../access'
import { allTraits, requireDevice } from '../estate'
import { changePolicy, impactOf, impactOfSteps } from './change'
import { readEstate } from './names'
import { policyGrid, policyListing, templatePage, templateSummaries } from './read'
import { requireSteps, writeSteps } from './steps'
import { policyAsOf, policyInForce, targetsOf, type PolicyInForce } from '../../store/policy'
import { exportPolicy, tryText } from './text'

/** Two million characters of text, as JSON may write them. */
const textLimit = 8 * 1024 * 1024

/** Policy as text speaks about every client. @throws ProblemError not-allowed */
function requireAll(viewer: Viewer): void {
  if (!mayChangeAll(viewer))
    throw new ProblemError(
      'not-allowed',
      'Policy as text is for every client; a lead of all of them writes and reads it.',
    )
}

/** One device with the facts that policy asks for. */
async function deviceTraits(db: Db, id: number, policy: PolicyInForce): Promise<DeviceTraits> {
  const [device] = await allTraits(db, targetsOf(policy), [id])
  if (!device) throw new ProblemError('no-such-device')
  return device
}

/** When what was read last by `at` came in and was judged: later than it was read where an agent had kept it. */
async function judgedAt(db: Db, id: number, at: Millis): Promise<Millis> {
  const report = await firstRow<{ received_at: Millis }>(
    db,
    'select received_at from report where device_id = $1 and at <= $2 order by at desc limit 1',
    [id, time(at)],
  )
  return Math.max(at, report?.received_at ?? at)
}

async function matches(pool: Pool, viewer: Viewer, target: Target): Promise<TargetMatches> {
  const estate = await readEstate(pool, viewer.clientIds)
  const faults = targetFaults(target, (siteId) => estate.siteClient(siteId)).map(({ at, message }) => ({
    at: [...at],
    message,
  }))
  const sentence = targetSentence(target, estate)
  if (faults.length) return { sentence, faults, devices: 0, clients: 0, sample: [] }
  const match = matcher(target)
  const found = (await allTraits(pool, [target])).filter(
    (device) => (viewer.clientIds?.includes(device.clientId) ?? true) && match(device),
  )
  const sample = found
    .map((device) => ({
      deviceId: device.id,
      deviceName: device.name,
      clientName: estate.client(device.clientId) ?? '',
      siteName: estate.sites.get(device.siteId)?.name ?? '',
    }))
    .sort((a, b) => a.clientName.localeCompare(b.clientName) || a.deviceName.localeCompare(b.deviceName))
    .slice(0, 200)
  return {
    sentence,
    faults,
    devices: found.length,
    clients: new Set(found.map((device) => device.clientId)).size,
    sample,
  }
}

export function policyRoutes(app: FastifyInstance, pool: Pool): void {
  const change = (steps: readonly PolicyStep[], viewer: Viewer): Promise<number[]> =>
    inTransaction(pool, (tx) =>
      changePolicy(tx, Date.now(), async (before) => {
        await requireSteps(tx, before, steps, viewer)
        return writeSteps(tx, before, steps, viewer, Date.now())
      }),
    )
  const single = async (step: PolicyStep, viewer: Viewer) => ({ id: (await change([step], viewer))[0]! })

  route(app, {
    method: 'GET',
    url: '/api/policy/grid',
    access: 'technician',
    summary: 'Roles × templates',
    answer: policyGridSchema,
    handle: ({ viewer }) => policyGrid(pool, viewer),
  })
  route(app, {
    method: 'GET',
    url: '/api/policy',
    access: 'technician',
    summary: 'All templates, assignments and exceptions',
    answer: policyListingSchema,
    handle: ({ viewer }) => policyListing(pool, viewer),
  })
  route(app, {
    method: 'GET',
    url: '/api/templates',
    access: 'technician',
    summary: 'Policy templates',
    answer: templateSummariesSchema,
    handle: ({ viewer }) => templateSummaries(pool, viewer),
  })
  route(app, {
    method: 'GET',
    url: '/api/templates/:id',
    access: 'technician',
    summary: 'One template with its watches, assignments, exceptions and revisions',
    answer: templatePageSchema,
    handle: ({ id, viewer }) => templatePage(pool, viewer, id()),
  })

  route(app, {
    method: 'POST',
    url: '/api/policy/changes',
    access: 'technician',
    summary: 'Change policy: all of the steps, or none',
    answer: policyChangedSchema,
    body: policyChangeSchema,
    handle: async ({ body, viewer }): Promise<PolicyChanged> => ({ ids: await change(body.steps, viewer) }),
  })
  route(app, {
    method: 'POST',
    url: '/api/policy/impact',
    access: 'technician',
    summary: 'What a change would do to which devices; saves nothing',
    answer: impactSchema,
    body: policyChangeSchema,
    async handle({ body, viewer }): Promise<Impact> {
      const before = await policyInForce(pool)
      await requireSteps(pool, before, body.steps, viewer)
      return impactOfSteps(pool, before, withSteps(before, body.steps, Date.now()), body.steps, viewer.clientIds)
    },
  })
  route(app, {
    method: 'GET',
    url: '/api/policy/text',
    access: 'lead',
    summary: 'Policy as YAML: everything, or some templates with what belongs to them',
    answer: exportedPolicySchema,
    query: exportSelectionSchema,
    async handle({ query, viewer }): Promise<ExportedPolicy> {
      requireAll(viewer)
      return { text: await exportPolicy(pool, query.templates ? query.templates.split(',').map(Number) : null) }
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/policy/text/check',
    access: 'lead',
    summary: 'What a text of policy would do; saves nothing',
    answer: textTrialSchema,
    body: policyTextSchema,
    bodyLimit: textLimit,
    async handle({ body, viewer }): Promise<TextTrial> {
      requireAll(viewer)
      return (await tryText(pool, viewer, body.text, body.note)).trial
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/policy/text/apply',
    access: 'lead',
    summary: 'Make policy what the text says: all of it, or nothing',
    answer: textTrialSchema,
    body: policyTextSchema,
    bodyLimit: textLimit,
    async handle({ body, viewer }): Promise<TextTrial> {
      requireAll(viewer)
      return inTransaction(pool, (tx) =>
        changePolicy(tx, Date.now(), async (before) => {
          const { trial, steps } = await tryText(tx, viewer, body.text, body.note)
          if (trial.faults.length)
            throw new ProblemError(
              'invalid',
              `Line ${trial.faults[0]!.line}: ${trial.faults[0]!.message}`,
              trial.faults.map(({ line, message }) => ({ at: `line ${line}`, message })),
            )
          if (steps.length) await writeSteps(tx, before, steps, viewer, Date.now())
          return trial
        }),
      )
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/targets/matches',
    access: 'technician',
    summary: 'What a target says, what is wrong with it, and which devices it reaches now',
    answer: targetMatchesSchema,
    body: targetTrialSchema,
    handle: ({ body, viewer }) => matches(pool, viewer, body.target),
  })

  route(app, {
    method: 'POST',
    url: '/api/templates',
    access: 'lead',
    summary: 'Make a template',
    answer: madeSchema,
    body: newTemplateSchema,
    handle: ({ body, viewer }) => single({ of: 'template', id: -1, basedOn: 0, note: '', to: body }, viewer),
  })
  route(app, {
    method: 'POST',
    url: '/api/assignments',
    access: 'lead',
    summary: 'Assign a template to a target',
    answer: madeSchema,
    body: newAssignmentSchema,
    handle: ({ body, viewer }) => single({ of: 'assignment', id: -1, basedOn: 0, to: body }, viewer),
  })
  route(app, {
    method: 'POST',
    url: '/api/exceptions',
    access: 'technician',
    summary: 'Make an exception for a device or a target',
    answer: madeSchema,
    body: newExceptionSchema,
    handle: ({ body, viewer }) => single({ of: 'exception', id: -1, basedOn: 0, to: body }, viewer),
  })
  route(app, {
    method: 'POST',
    url: '/api/templates/:id/keep',
    access: 'lead',
    summary: 'Make a value of a template an exception for the devices that follow it now',
    answer: keptValueSchema,
    body: keepValueSchema,
    handle: ({ id, body, viewer }) =>
      inTransaction(pool, (tx) =>
        changePolicy(tx, Date.now(), async (before) => {
          if (!mayChangeAll(viewer))
            throw new ProblemError(
              'not-allowed',
              'Templates are for every client; a lead of all of them keeps a value of one for the present devices.',
            )
          const steps = keepForPresent(
            before.compiled,
            await allTraits(tx, targetsOf(before)),
            id(),
            body.watch,
            body.parameter,
            body.reason,
            viewer.id,
          )
          if (!steps.length)
            throw new ProblemError('invalid', 'No device follows this value now, so there is nothing to keep.', [
              { at: 'parameter', message: 'followed by nothing' },
            ])
          await requireSteps(tx, before, steps, viewer)
          await writeSteps(tx, before, steps, viewer, Date.now())
          const target = steps[0]!.to && 'target' in steps[0]!.to ? steps[0]!.to.target : null
          return { devices: target?.on === 'devices' ? target.deviceIds.length : 0 }
        }),
      ),
  })
  const taken = async (of: 'assignment' | 'exception', id: number, viewer: Viewer) => {
    const policy = await policyInForce(pool)
    const found = (of === 'assignment' ? policy.assignments : policy.exceptions).find((each) => each.id === id)
    if (!found) throw new ProblemError(`no-such-${of}`)
    return single({ of, id, basedOn: found.revision, to: null }, viewer)
  }
  route(app, {
    method: 'DELETE',
    url: '/api/assignments/:id',
    access: 'lead',
    summary: 'Take an assignment away',
    answer: madeSchema,
    handle: ({ id, viewer }) => taken('assignment', id(), viewer),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/exceptions/:id',
    access: 'technician',
    summary: 'Take an exception away',
    answer: madeSchema,
    handle: ({ id, viewer }) => taken('exception', id(), viewer),
  })

  pastRoute(app, pool, {
    url: '/api/devices/:id/roster',
    access: 'contact',
    summary: 'What a device really gets, each value with where it comes from',
    answer: rosterSchema,
    async handle({ id, viewer, db, now, isPast }): Promise<RosterWatch[]> {
      await requireDevice(db, viewer, id())
      const policy = await (isPast ? policyAsOf(db, await judgedAt(db, id(), now)) : policyInForce(db))
      return policy.compiled
        .roster(await deviceTraits(db, id(), policy))
        .map((watch) => ({ ...watch, sentence: watchKind(watch.kind).sentence(watch.values) }))
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/devices/:id/roster/what-if',
    access: 'technician',
    summary: 'What the device would get with other roles, at another site, with other tags; saves nothing',
    answer: impactSchema,
    body: whatIfSchema,
    async handle({ id, viewer, body }): Promise<Impact> {
      await requireDevice(pool, viewer, id())
      const policy = await policyInForce(pool)
      const device = await deviceTraits(pool, id(), policy)
      const site =
        body.siteId === undefined
          ? null
          : await firstRow<{ client_id: number }>(pool, 'select client_id from site where id = $1', [body.siteId])
      if (body.siteId !== undefined && !site) throw new ProblemError('no-such-site')
      if (site) requireClient(viewer, site.client_id, 'no-such-site')
      const moved: DeviceTraits = {
        ...device,
        roles: body.roles ?? device.roles,
        tags: body.tags ?? device.tags,
        ...(site ? { siteId: body.siteId!, clientId: site.client_id } : {}),
      }
      const { compiled } = policy
      const [before, after] = [compiled.roster(device), compiled.roster(moved)]
      const changes = compareRosters(before, after)
      return impactOf(pool, changes.length ? [{ device, changes, before, after }] : [], viewer.clientIds)
    },
  })
}
