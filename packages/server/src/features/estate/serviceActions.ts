import type { ServiceActionView } from '#contract'
import { answerWithin, day, type DeviceId, type Millis, type ServiceAction } from '#core'
import { firstRow, rows, time, type Db } from '../../db'
import { askAgent, triedText } from '../../engine'
import { ProblemError } from '../../http/problems'
import { announce } from '../../live'
import { readFacts } from '../../store/currentFacts'
import { audit, type Viewer } from '../access'
import { requireDevice } from './requireDevice'

/** So far back a list of services tells what was done to them. */
const told: Millis = 7 * day

/** Asks a device's agent to start, stop or restart one of its services; the answer stands in the list when it comes. */
export async function askForService(
  tx: Db,
  viewer: Viewer,
  deviceId: DeviceId,
  action: ServiceAction,
  now: Millis,
): Promise<void> {
  // The device first, as everything that changes what is open on it.
  await tx.query('select from device where id = $1 for update', [deviceId])
  const device = await requireDevice(tx, viewer, deviceId)
  const { facts } = await readFacts(tx, device.id)
  if (!facts.system?.remediates)
    throw new ProblemError(
      'invalid',
      `The agent of ${device.name} cannot start or stop services: it is too old, or has no right to. Its page says which version it has.`,
    )
  if (!facts.services?.some(({ name }) => name === action.service))
    throw new ProblemError(
      'invalid',
      `${device.name} has no service “${action.service}”. Reload its list of services.`,
      [{ at: 'service', message: 'not on the device' }],
    )
  const asked = await firstRow(
    tx,
    `select from response where device_id = $1 and service = $2 and state = 'asked' and at > $3`,
    [device.id, action.service, time(now - answerWithin)],
  )
  if (asked) throw new ProblemError('asked-already')
  await askAgent(
    tx,
    { id: device.id, clientId: device.client_id },
    { post: null, action, from: { alertId: null, personId: viewer.id } },
    now,
  )
  await audit(tx, {
    personId: viewer.id,
    action: `asked to ${action.verb}`,
    kind: 'service',
    id: device.id,
    clientId: device.client_id,
    detail: { service: action.service },
  })
  announce(tx, { topic: 'alerts', clientIds: [device.client_id], deviceIds: [device.id] })
}

interface Row extends Omit<ServiceActionView, 'state' | 'text'> {
  state: 'asked' | 'done' | 'failed'
  before: string
  after: string
  reason: string
}

/** What was asked of a device's services in the last week, by hand and by itself, the newest first. */
export async function serviceActions(db: Db, deviceId: DeviceId, now: Millis): Promise<ServiceActionView[]> {
  // By the key (device, watch, instance, at): what was asked of one device.
  const found = await rows<Row>(
    db,
    `select r.id, r.verb, r.service, r.at, p.name as by, r.state, r.ended_at as "endedAt", r.before, r.after, r.reason
     from response r left join person p on p.id = r.person_id
     where r.device_id = $1 and r.at > $2 order by r.at desc, r.id desc limit 200`,
    [deviceId, time(now - told)],
  )
  return found.map(({ before, after, reason, state, ...row }) => ({
    ...row,
    state: state === 'asked' && row.at <= now - answerWithin ? 'unanswered' : state,
    text: triedText({ before, after, reason }),
  }))
}
