import {
  boardDevicesSchema,
  boardPageSchema,
  boardQuerySchema,
  deviceIdsSchema,
  devicePageSchema,
  deviceRolesSchema,
  foundSchema,
  pastKeptSchema,
  rolesSchema,
  type BoardDevice,
  type DevicePage,
  type RefusedPartView,
  type Found,
  type PastKept,
  type Role,
} from '#contract'
import { collectorOfMetric, day, type Millis } from '#core'
import type { FastifyInstance } from 'fastify'
import Joi from 'joi'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../db'
import { loadContext, reevaluate, rosterMark } from '../../engine'
import { ProblemError } from '../../http/problems'
import { pastRoute } from '../../http/past'
import { route } from '../../http/route'
import { announce } from '../../live'
import { readFacts } from '../../store/currentFacts'
import { retentionDays } from '../../store/retention'
import { latestOnRecord } from '../../store/series'
import { traitsOf } from '../../store/traits'
import { behindOf, dependsOn } from '../../store/upstream'
import { windowsReaching } from '../../store/windows'
import { audit, ofClients, type Viewer } from '../access'
import { boardDevice, boardRows } from './board'
import { boardPage } from './boardPage'
import { fillsOf } from './fills'
import { find } from './find'
import { requireDevice } from './requireDevice'

interface MoreRow {
  agent_version: string
  clock_offset_ms: number
  started_at: number | null
  enrolled_at: number
  failed: DevicePage['failed']
  lost_reports: number
  left_out_entries: number
  old_entries: number
  refused_count: number
  roster_sent: string | null
  roster_sent_at: number | null
  roster_confirmed: string | null
  roster_confirmed_at: number | null
}

/** The newest value of each series. Not all are read with each report, but each once an hour. */
async function latestOf(db: Db, id: number, now: Millis): Promise<DevicePage['latest']> {
  // Backwards along the key of one device, within the partition of this week or two.
  const found = await rows<{ at: number; series: [string, string][]; value: number[] }>(
    db,
    `
    with newest as (select at from report where device_id = $1 order by at desc limit 1)
    select distinct on (p.layout_id) p.at, l.series, p.value from newest
    join report p on p.device_id = $1 and p.at > newest.at - interval '2 hours' join layout l on l.id = p.layout_id
    order by p.layout_id, p.at desc`,
    [id],
  )
  const newestFirst = found.sort((a, b) => b.at - a.at)
  // Of each collector what it read last, so that a disk that is gone does not stay in sight.
  const told = new Set<string>()
  const readings = newestFirst.flatMap(({ series, value }) => {
    const of = ([metric]: [string, string]) => collectorOfMetric(metric) ?? metric
    const mine = series
      .map((key, i): [string, string, string, number] => [of(key), ...key, value[i]!])
      .filter(([collector]) => !told.has(collector))
    for (const [collector] of mine) told.add(collector)
    return mine.map(([, metric, instance, number]): [string, string, number] => [metric, instance, number])
  })
  if (newestFirst[0]) return { at: newestFirst[0].at, readings }
  return (await latestOnRecord(db, [id], now)).get(id) ?? null
}

/** The newest parts of a device's reports that were refused; of a long one its beginning is enough to know it again. */
function refusedOf(db: Db, id: number): Promise<RefusedPartView[]> {
  return rows(
    db,
    `select id, received_at as at, seq, pointer, code, detail, left(body, 2000) as body from refused_report
     where device_id = $1 order by id desc limit 20`,
    [id],
  )
}

/** @param isPast as of `now`, which is over: of its agent only what it read is known */
async function devicePage(db: Db, viewer: Viewer, id: number, now: Millis, isPast: boolean): Promise<DevicePage> {
  const [row] = await boardRows(db, viewer.clientIds, [id], now)
  if (!row) throw new ProblemError('no-such-device')
  const more = (await firstRow<MoreRow>(
    db,
    `select agent_version, clock_offset_ms, started_at, enrolled_at, failed, lost_reports, left_out_entries, old_entries,
     refused_count, roster_sent, roster_sent_at, roster_confirmed, roster_confirmed_at from device where id = $1`,
    [id],
  ))!
  const context = isPast ? null : await loadContext(db, id)
  const mark = context && rosterMark(context.roster)
  const { facts, times } = await readFacts(db, id)
  const latest = await latestOf(db, id, now)
  const planned = more.started_at === null ? [] : await windowsReaching(db, traitsOf(row, facts), more.started_at)
  return {
    ...boardDevice(row, now),
    siteId: row.site_id,
    zone: row.zone,
    agentVersion: more.agent_version,
    clockOffset: more.clock_offset_ms,
    startedAt: more.started_at,
    startedIn: planned[0] ? { id: planned[0].id, name: planned[0].name } : null,
    dependsOn: await dependsOn(db, id),
    behind: await behindOf(db, id),
    enrolledAt: more.enrolled_at,
    facts,
    factTimes: times,
    failed: more.failed,
    lostReports: more.lost_reports,
    leftOutEntries: more.left_out_entries,
    oldEntries: more.old_entries,
    refusedCount: more.refused_count,
    refused: !isPast && more.refused_count && viewer.access !== 'contact' ? await refusedOf(db, id) : [],
    latest,
    fills: await fillsOf(db, id, latest?.readings ?? [], now),
    roster: {
      sentAt: isPast || mark === more.roster_sent ? more.roster_sent_at : null,
      confirmedAt: isPast || mark === more.roster_confirmed ? more.roster_confirmed_at : null,
    },
  }
}

export function estateRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/roles',
    access: 'contact',
    summary: 'Roles that a device can have',
    answer: rolesSchema,
    handle: (): Promise<Role[]> => rows(pool, 'select id, name from role order by name limit 500'),
  })

  pastRoute(app, pool, {
    url: '/api/devices',
    access: 'contact',
    summary: 'Devices, as the board compares them: a part of those that match, with counts of all',
    answer: boardPageSchema,
    query: boardQuerySchema,
    handle: ({ viewer, query, db, now }) => boardPage(db, viewer, query, now),
  })

  pastRoute(app, pool, {
    url: '/api/device-rows',
    access: 'contact',
    summary: 'Some devices, as the board compares them, to bring what is shown up to date',
    answer: boardDevicesSchema,
    query: deviceIdsSchema,
    async handle({ viewer, query, db, now }): Promise<BoardDevice[]> {
      const found = await boardRows(db, viewer.clientIds, query.ids.split(',').map(Number), now)
      return found.map((row) => boardDevice(row, now))
    },
  })

  pastRoute(app, pool, {
    url: '/api/devices/:id',
    access: 'contact',
    summary: 'One device',
    answer: devicePageSchema,
    handle: ({ viewer, id, db, now, isPast }) => devicePage(db, viewer, id(), now, isPast),
  })

  route(app, {
    method: 'PUT',
    url: '/api/devices/:id/roles',
    access: 'technician',
    summary: 'Set the roles of a device',
    answer: deviceRolesSchema,
    body: deviceRolesSchema,
    async handle({ viewer, id, body }) {
      const device = await requireDevice(pool, viewer, id())
      return inTransaction(pool, async (tx) => {
        const known = await rows<{ id: string }>(tx, 'select id from role where id = any($1)', [body.roles])
        if (known.length !== body.roles.length)
          throw new ProblemError(
            'invalid',
            `There is no role “${body.roles.find((role) => !known.some((row) => row.id === role))}”.`,
            [{ at: 'roles', message: 'unknown role' }],
          )
        await tx.query('update device set roles = $2 where id = $1', [device.id, body.roles])
        await reevaluate(tx, device.id, Date.now())
        await audit(tx, {
          personId: viewer.id,
          action: 'set roles of',
          kind: 'device',
          id: device.id,
          clientId: device.client_id,
          detail: body,
        })
        announce(tx, { topic: 'policy', clientIds: [device.client_id], deviceIds: [device.id] })
        return { roles: body.roles }
      })
    },
  })

  route(app, {
    method: 'GET',
    url: '/api/past',
    access: 'contact',
    summary: 'Since when it is kept how things were',
    answer: pastKeptSchema,
    async handle({ viewer }): Promise<PastKept> {
      const first = await firstRow<{ at: Millis | null }>(
        pool,
        `select min(least(enrolled_at, first_at)) as at from device where ${ofClients('client_id', 1)}`,
        [viewer.clientIds],
      )
      const { alerts } = await retentionDays(pool)
      return { since: Math.max(first?.at ?? Date.now(), Date.now() - alerts * day) }
    },
  })

  route(app, {
    method: 'GET',
    url: '/api/find',
    access: 'contact',
    summary: 'Find a device, client, template, alert or window by name',
    answer: foundSchema,
    query: Joi.object<{ q: string }, true>({ q: Joi.string().trim().min(1).max(100).required() }),
    handle: ({ viewer, query }): Promise<Found[]> => find(pool, viewer, query.q),
  })
}
