import {
  alertCloseSchema,
  alertCompanionsSchema,
  alertListSchema,
  alertNoteSchema,
  alertPageSchema,
  alertRespondSchema,
  alertsActedSchema,
  alertsActSchema,
  alertTimelineSchema,
  beforeQuerySchema,
  heldListSchema,
  lookedBodySchema,
  lookedSchema,
  remediationListSchema,
  deviceIdsSchema,
  roundsPartQuerySchema,
  roundsPartSchema,
  roundsQuerySchema,
  roundsSchema,
  todoCountSchema,
  todoQuerySchema,
  whyPageSchema,
  whyQuerySchema,
  type AlertEntry,
  type AlertPage,
  type AlertsAct,
  type BeforeQuery,
} from '#contract'
import { actionsFor, answerWithin, type ServiceAction } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, time, type Db, type Pool } from '../../db'
import { askAgent, loadContext } from '../../engine'
import { ProblemError } from '../../http/problems'
import { pastRoute } from '../../http/past'
import { route } from '../../http/route'
import { announce } from '../../live'
import { addEntry } from '../../store/alertEntries'
import { audit, ofClients, type Viewer } from '../access'
import { requireDevice } from '../estate'
import { actOnAlert, actOnAlerts } from './act'
import { alertCompanions } from './companions'
import { whyAt } from './why'
import { timeline } from './timeline'
import { alertRows, countTodo, rounds, roundsPart } from './rounds'
import { alertSelect, heldSelect, remediationViews, type AlertRow, type HeldRow } from './views'

/** Which of a table's columns says when a row of it began. */
const begins = { alert: 'raised_at', held: 'held_at', remediation: 'started_at' } as const

/**
 * A part of what a device has had, or an alert carries: all that is open, with the first part, and then what is over,
 * the newest first.
 * @param of what the rows are called in the statement; `from`: of which table they are
 * @param by the column that says whose they are
 */
async function openFirst<Row>(
  whose: number,
  { before, limit }: BeforeQuery,
  read: (where: string, values: unknown[]) => Promise<Row[]>,
  { of, from, isOpen, by = 'device_id' }: { of: string; from: keyof typeof begins; isOpen: string; by?: string },
): Promise<Row[]> {
  const isTheirs = `${of}.${by} = $1`
  // Not by their numbers: what history says of long ago is made today.
  const at = begins[from]
  const order = `order by ${of}.${at} desc, ${of}.id desc`
  const open = before === undefined ? await read(`${isTheirs} and ${isOpen} ${order}`, [whose]) : []
  const over = await read(
    `${isTheirs} and not (${isOpen})
       and ($2::bigint is null or (${of}.${at}, ${of}.id) < (select k.${at}, k.id from ${from} k where k.id = $2))
     ${order} limit $3`,
    [whose, before ?? null, limit],
  )
  return [...open, ...over]
}

/**
 * What the device's agent can be asked to do about an alert; nothing where it cannot, or what it was about is watched
 * no more.
 */
async function actionsOn(
  db: Db,
  { deviceId, watch, instance }: Pick<AlertRow, 'deviceId' | 'watch' | 'instance'>,
): Promise<ServiceAction[]> {
  const context = deviceId === null ? null : await loadContext(db, deviceId)
  const effective = context?.facts.system?.remediates
    ? context.roster.find((candidate) => candidate.key === watch && candidate.standing === 'active')
    : undefined
  return effective ? actionsFor(effective, instance) : []
}

/** Asks the device's agent to do something about an alert; the answer stands in the alert when it comes. */
async function respond(pool: Pool, viewer: Viewer, id: number, verb: ServiceAction['verb']): Promise<AlertPage> {
  return inTransaction(pool, async (tx) => {
    // The device first, as everything that changes what is open on it.
    await tx.query('select from device where id = (select device_id from alert where id = $1) for update', [id])
    const alert = await alertPage(tx, viewer.clientIds, id)
    if (alert.status === 'closed') throw new ProblemError('already-closed')
    const action = alert.actions.find((action) => action.verb === verb)
    if (!action || alert.deviceId === null)
      throw new ProblemError(
        'invalid',
        `The agent of ${alert.deviceName || 'a site'} cannot be asked to do that about this alert.`,
        [{ at: 'verb', message: 'not possible' }],
      )
    const asked = await firstRow(
      tx,
      `select from response where device_id = $1 and watch = $2 and instance = $3 and state = 'asked' and at > $4`,
      [alert.deviceId, alert.watch, alert.instance, time(Date.now() - answerWithin)],
    )
    if (asked) throw new ProblemError('asked-already')
    await askAgent(
      tx,
      { id: alert.deviceId, clientId: alert.clientId },
      { post: alert, action, from: { alertId: id, personId: viewer.id } },
      Date.now(),
    )
    await addEntry(tx, id, { at: Date.now(), event: 'asked', detail: action, personId: viewer.id })
    await audit(tx, {
      personId: viewer.id,
      action: `asked to ${verb}`,
      kind: 'service',
      id: alert.deviceId,
      clientId: alert.clientId,
      detail: { service: action.service, alert: id },
    })
    announce(tx, { topic: 'alerts', clientIds: [alert.clientId], deviceIds: [alert.deviceId] })
    return alertPage(tx, null, id)
  })
}

/**
 * @param clientIds of whoever asks; null: it was looked up for them before
 * @param isPast nothing can be asked of an agent then
 */
async function alertPage(db: Db, clientIds: Viewer['clientIds'], id: number, isPast = false): Promise<AlertPage> {
  const alert = await firstRow<AlertRow>(db, `${alertSelect} where a.id = $2 and ${ofClients('a.client_id', 1)}`, [
    clientIds,
    id,
  ])
  if (!alert) throw new ProblemError('no-such-alert')
  const entries = await rows<AlertEntry>(
    db,
    `
    select e.at, e.event, e.detail, p.name as by, e.text from (
      select * from alert_entry where alert_id = $1 order by id desc limit 1000
    ) e left join person p on p.id = e.person_id order by e.id`,
    [id],
  )
  return { ...alert, entries, actions: isPast || alert.status === 'closed' ? [] : await actionsOn(db, alert) }
}

/** Does one thing with one alert, and tells how it is then. */
function change(
  pool: Pool,
  viewer: Viewer,
  id: number,
  act: Pick<AlertsAct, 'do'> & Partial<AlertsAct>,
): Promise<AlertPage> {
  return inTransaction(pool, async (tx) => {
    await actOnAlert(tx, viewer, id, { ids: [id], text: '', ...act }, Date.now())
    return alertPage(tx, null, id)
  })
}

export function alertRoutes(app: FastifyInstance, pool: Pool): void {
  pastRoute(app, pool, {
    url: '/api/rounds',
    access: 'contact',
    summary: 'What needs a person, in four groups',
    answer: roundsSchema,
    query: roundsQuerySchema,
    handle: ({ viewer, query, db, now }) => rounds(db, viewer, query, now),
  })
  pastRoute(app, pool, {
    url: '/api/rounds/part',
    access: 'contact',
    summary: 'A further part of one of the groups',
    answer: roundsPartSchema,
    query: roundsPartQuerySchema,
    async handle({ viewer, query, db, now }) {
      const { fresh: _fresh, ...part } = await roundsPart(db, viewer, query.group, query, now, query.after)
      return part
    },
  })
  route(app, {
    method: 'GET',
    url: '/api/rounds/count',
    access: 'contact',
    summary: 'How many alerts wait for somebody to take them',
    answer: todoCountSchema,
    query: todoQuerySchema,
    handle: async ({ viewer, query }) => ({ todo: await countTodo(pool, viewer, query.client ?? null) }),
  })
  pastRoute(app, pool, {
    url: '/api/alert-rows',
    access: 'contact',
    summary: 'Some alerts, to bring what is shown up to date',
    answer: alertListSchema,
    query: deviceIdsSchema,
    handle: ({ viewer, query, db }) => alertRows(db, viewer, query.ids.split(',').map(Number)),
  })
  route(app, {
    method: 'POST',
    url: '/api/rounds/looked',
    access: 'contact',
    summary: 'Remember that the round was walked until now, or until a time before, which undoes it',
    answer: lookedSchema,
    body: lookedBodySchema,
    async handle({ viewer, body }) {
      await pool.query('update person set looked_at = least(now(), coalesce($2, now())) where id = $1', [
        viewer.id,
        time(body.at ?? null),
      ])
      return { looked: true, before: viewer.lookedAt }
    },
  })
  pastRoute(app, pool, {
    url: '/api/alerts/:id',
    access: 'contact',
    summary: 'One alert with what happened to it',
    answer: alertPageSchema,
    handle: ({ viewer, id, db, isPast }) => alertPage(db, viewer.clientIds, id(), isPast),
  })
  route(app, {
    method: 'GET',
    url: '/api/alerts/:id/timeline',
    access: 'contact',
    summary: 'What else happened around an alert, on its device and at its site',
    answer: alertTimelineSchema,
    handle: ({ viewer, id }) => timeline(pool, viewer, id()),
  })
  route(app, {
    method: 'GET',
    url: '/api/alerts/:id/companions',
    access: 'contact',
    summary: 'What begins to fail together with the post of an alert, again and again',
    answer: alertCompanionsSchema,
    handle: ({ viewer, id }) => alertCompanions(pool, viewer, id(), Date.now()),
  })
  route(app, {
    method: 'GET',
    url: '/api/alerts/:id/earlier',
    access: 'contact',
    summary: 'Earlier alerts of the same post, the newest first, in parts',
    answer: alertListSchema,
    query: beforeQuerySchema,
    async handle({ viewer, id, query }) {
      await alertPage(pool, viewer.clientIds, id())
      return rows<AlertRow>(
        pool,
        `${alertSelect} join alert this on this.id = $1
         where a.device_id is not distinct from this.device_id and a.site_id is not distinct from this.site_id
           and a.watch = this.watch and a.instance = this.instance and a.id <> this.id and a.status = 'closed'
           and ${ofClients('a.client_id', 4)} and ($2::bigint is null or a.id < $2)
         order by a.id desc limit $3`,
        [id(), query.before ?? null, query.limit, viewer.clientIds],
      )
    },
  })
  pastRoute(app, pool, {
    url: '/api/alerts/:id/members',
    access: 'contact',
    summary: 'The alerts that one carries, the open ones first, then the newest, in parts',
    answer: alertListSchema,
    query: beforeQuerySchema,
    async handle({ viewer, id, query, db }) {
      const { id: carrier } = await alertPage(db, viewer.clientIds, id(), true)
      return openFirst(carrier, query, (where, values) => rows<AlertRow>(db, `${alertSelect} where ${where}`, values), {
        of: 'a',
        from: 'alert',
        by: 'carried_by',
        isOpen: `a.status <> 'closed'`,
      })
    },
  })
  route(app, {
    method: 'GET',
    url: '/api/devices/:id/why',
    access: 'contact',
    summary: 'Why there is, or was at a time, an alert about a post of a device, or none',
    answer: whyPageSchema,
    query: whyQuerySchema,
    handle: ({ viewer, id, query }) => whyAt(pool, viewer, id(), query),
  })
  pastRoute(app, pool, {
    url: '/api/devices/:id/alerts',
    access: 'contact',
    summary: 'Alerts of a device, the open ones first, then the newest, in parts',
    answer: alertListSchema,
    query: beforeQuerySchema,
    async handle({ viewer, id, query, db }) {
      await requireDevice(db, viewer, id())
      return openFirst(id(), query, (where, values) => rows<AlertRow>(db, `${alertSelect} where ${where}`, values), {
        of: 'a',
        from: 'alert',
        isOpen: `a.status <> 'closed'`,
      })
    },
  })
  pastRoute(app, pool, {
    url: '/api/devices/:id/held',
    access: 'contact',
    summary: 'What windows held back on a device, what is held now first, then the newest, in parts',
    answer: heldListSchema,
    query: beforeQuerySchema,
    async handle({ viewer, id, query, db }) {
      await requireDevice(db, viewer, id())
      return openFirst(id(), query, (where, values) => rows<HeldRow>(db, `${heldSelect} where ${where}`, values), {
        of: 'h',
        from: 'held',
        isOpen: 'h.ended_at is null',
      })
    },
  })
  pastRoute(app, pool, {
    url: '/api/devices/:id/remediations',
    access: 'contact',
    summary: 'What the agent of a device put right, or tried to, in parts',
    answer: remediationListSchema,
    query: beforeQuerySchema,
    async handle({ viewer, id, query, db }) {
      await requireDevice(db, viewer, id())
      return openFirst(id(), query, (where, values) => remediationViews(db, `where ${where}`, values), {
        of: 'm',
        from: 'remediation',
        isOpen: 'm.ended_at is null',
      })
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/alerts/:id/respond',
    access: 'technician',
    summary: 'Have the device’s agent start, stop or restart the service that an alert is about',
    answer: alertPageSchema,
    body: alertRespondSchema,
    handle: ({ viewer, id, body }) => respond(pool, viewer, id(), body.verb),
  })
  route(app, {
    method: 'POST',
    url: '/api/alerts/:id/take',
    access: 'technician',
    summary: 'Take an alert',
    answer: alertPageSchema,
    handle: ({ viewer, id }) => change(pool, viewer, id(), { do: 'take' }),
  })
  route(app, {
    method: 'POST',
    url: '/api/alerts/:id/give-back',
    access: 'technician',
    summary: 'Give an alert back to everybody',
    answer: alertPageSchema,
    handle: ({ viewer, id }) => change(pool, viewer, id(), { do: 'give-back' }),
  })
  route(app, {
    method: 'POST',
    url: '/api/alerts/:id/notes',
    access: 'technician',
    summary: 'Add a note to an alert',
    answer: alertPageSchema,
    body: alertNoteSchema,
    handle: ({ viewer, id, body }) => change(pool, viewer, id(), { do: 'note', text: body.text }),
  })
  route(app, {
    method: 'POST',
    url: '/api/alerts/:id/close',
    access: 'technician',
    summary: 'Close an alert by hand; it stays closed until the post is well, or worse',
    answer: alertPageSchema,
    body: alertCloseSchema,
    handle: ({ viewer, id, body }) => change(pool, viewer, id(), { do: 'close', text: body.reason }),
  })
  route(app, {
    method: 'POST',
    url: '/api/alerts/acts',
    access: 'technician',
    summary: 'Do one thing with many alerts, each by itself: take, hand over, hide, note, close, open again',
    answer: alertsActedSchema,
    body: alertsActSchema,
    handle: ({ viewer, body }) => actOnAlerts(pool, viewer, body),
  })
}
