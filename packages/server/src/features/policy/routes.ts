import { impactSchema, madeSchema, newAssignmentSchema, newExceptionSchema, newTemplateSchema, policyGridSchema, rosterSchema, templateEditSchema, templatePageSchema, templateSummariesSchema, type Impact, type RosterWatch } from '#contract'
import { resolveRoster, targets, templateFaults, watchKind, type Policy, type Template } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { allTraits, needDevice, traitsOf, type TraitsRow } from '../estate'
import { changePolicy, changesBetween, impactOf } from './change'
import { policyGrid, templatePage, templateSummaries } from './read'
import { policyInForce } from './store'
import { addAssignment, addException, addTemplate, editTemplate, refuseFaults, removeAssignment, removeException } from './write'

export function policyRoutes(app: FastifyInstance, pool: Pool): void {
  const change = <T>(write: (tx: Parameters<typeof changePolicy>[0], policy: Policy) => Promise<T>) =>
    inTransaction(pool, (tx) => changePolicy(tx, Date.now(), async () => write(tx, await policyInForce(tx))))

  const impact = async (after: (policy: Policy) => Policy, keepOwn: (policy: Policy, device: ReturnType<typeof traitsOf>) => boolean = () => false): Promise<Impact> => {
    const policy = await policyInForce(pool)
    const devices = await allTraits(pool)
    return impactOf(changesBetween(devices, policy, after(policy)), devices.filter((device) => keepOwn(policy, device)).length)
  }

  route(app, { method: 'GET', url: '/api/policy/grid', access: 'technician', summary: 'Roles × templates', answer: policyGridSchema, handle: () => policyGrid(pool) })
  route(app, { method: 'GET', url: '/api/templates', access: 'technician', summary: 'Policy templates', answer: templateSummariesSchema, handle: () => templateSummaries(pool) })
  route(app, { method: 'GET', url: '/api/templates/:id', access: 'technician', summary: 'One template with its watches, assignments, exceptions and revisions', answer: templatePageSchema, handle: ({ id }) => templatePage(pool, id()) })
  route(app, {
    method: 'POST', url: '/api/templates', access: 'lead', summary: 'Make a template', answer: madeSchema, body: newTemplateSchema,
    handle: ({ body, viewer }) => change((tx) => addTemplate(tx, body, viewer)),
  })
  route(app, {
    method: 'PUT', url: '/api/templates/:id', access: 'lead', summary: 'Save a new revision of a template', answer: templatePageSchema, body: templateEditSchema,
    async handle({ id, body, viewer }) {
      await change((tx) => editTemplate(tx, id(), body, viewer))
      return templatePage(pool, id())
    },
  })
  route(app, {
    method: 'POST', url: '/api/templates/:id/impact', access: 'technician', summary: 'What an edit would do to which devices; saves nothing', answer: impactSchema, body: templateEditSchema,
    async handle({ id, body }) {
      refuseFaults(templateFaults(body.watches))
      const templateId = id()
      const edited: Template = { id: templateId, name: body.name, description: body.description, revision: body.basedOn + 1, watches: body.watches }
      const keys = new Set(body.watches.map((watch) => watch.key))
      return impact(
        (policy) => ({ ...policy, templates: policy.templates.map((one) => (one.id === templateId ? edited : one)) }),
        (policy, device) => policy.assignments.some((one) => one.templateId === templateId && targets(one.target, device)) && policy.exceptions.some((one) => keys.has(one.watch) && targets(one.target, device)),
      )
    },
  })

  route(app, {
    method: 'POST', url: '/api/assignments', access: 'lead', summary: 'Assign a template to a target', answer: madeSchema, body: newAssignmentSchema,
    handle: ({ body, viewer }) => change((tx, policy) => addAssignment(tx, body, policy, viewer)),
  })
  route(app, {
    method: 'POST', url: '/api/assignments/impact', access: 'technician', summary: 'What an assignment would do; saves nothing', answer: impactSchema, body: newAssignmentSchema,
    handle: ({ body }) => impact((policy) => ({ ...policy, assignments: [...policy.assignments, { ...body, id: 2_147_483_647, createdAt: Date.now() }] })),
  })
  route(app, {
    method: 'DELETE', url: '/api/assignments/:id', access: 'lead', summary: 'Take an assignment away', answer: madeSchema,
    handle: ({ id, viewer }) => change((tx) => removeAssignment(tx, id(), viewer)),
  })

  route(app, {
    method: 'POST', url: '/api/exceptions', access: 'technician', summary: 'Make an exception for a device or a target', answer: madeSchema, body: newExceptionSchema,
    async handle({ body, viewer }) {
      // A technician speaks for single devices; what reaches further is a lead's decision.
      if (body.target.on !== 'devices' && viewer.access !== 'lead') throw new ProblemError('not-allowed', 'Exceptions for more than chosen devices are made by a lead.')
      if (body.target.on === 'devices') for (const deviceId of body.target.deviceIds) await needDevice(pool, viewer, deviceId)
      return change((tx, policy) => addException(tx, body, policy, viewer))
    },
  })
  route(app, {
    method: 'DELETE', url: '/api/exceptions/:id', access: 'technician', summary: 'Take an exception away', answer: madeSchema,
    async handle({ id, viewer }) {
      const found = (await policyInForce(pool)).exceptions.find((one) => one.id === id())
      if (!found) throw new ProblemError('not-found')
      if (found.target.on === 'devices') for (const deviceId of found.target.deviceIds) await needDevice(pool, viewer, deviceId)
      else if (viewer.access !== 'lead') throw new ProblemError('not-allowed')
      return change((tx) => removeException(tx, id(), viewer))
    },
  })

  route(app, {
    method: 'GET', url: '/api/devices/:id/roster', access: 'contact', summary: 'What a device really gets, each value with where it comes from', answer: rosterSchema,
    async handle({ id, viewer }): Promise<RosterWatch[]> {
      await needDevice(pool, viewer, id())
      const row = (await firstRow<TraitsRow>(pool, 'select id, client_id, site_id, kind, os_family, roles, tags, name from device where id = $1', [id()]))!
      return resolveRoster(traitsOf(row), await policyInForce(pool)).map((watch) => ({ ...watch, sentence: watchKind(watch.kind).sentence(watch.values) }))
    },
  })
}
