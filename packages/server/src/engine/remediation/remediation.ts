import type { ServiceProgress } from '#contract'
import { answerWithin, durationText, postKey, second, type DeviceId, type Millis, type ServiceAction } from '#core'
import { firstRow, inTransaction, rows, time, type Db, type Pool } from '../../db'
import { announce } from '../../live'
import { addEntry } from '../../store/alertEntries'
import { eachAlone } from '../alone'
import { loadContext } from '../context'
import { readAlerting } from '../alerting'
import { settlePosts } from '../settleDevice'
import { askAgent, readAttempts, remediationUnderWay, triedText } from './attempts'

interface Due {
  id: number
  device_id: DeviceId
  client_id: number
  watch: string
  instance: string
  started_at: Millis
}

/** Whether its device is still heard is looked at so often. */
const checkAgain: Millis = 30 * second

async function turn(tx: Db, due: Due, now: Millis): Promise<void> {
  // The device first, as everything that changes what is open on it.
  const context = await loadContext(tx, due.device_id, true)
  const open = await firstRow(tx, 'select from remediation where id = $1 and ended_at is null for update', [due.id])
  if (!open) return
  if (!context) {
    await tx.query(`update remediation set ended_at = $2, outcome = 'unwatched' where id = $1`, [due.id, time(now)])
    return
  }
  await tx.query(
    `
    update response set state = 'failed', ended_at = at + make_interval(secs => $2), reason = $3
    where remediation_id = $1 and state = 'asked' and at <= $4`,
    [
      due.id,
      answerWithin / 1000,
      `no answer from the agent within ${durationText(answerWithin)}`,
      time(now - answerWithin),
    ],
  )
  const key = postKey(due.watch, due.instance)
  const attempts = await readAttempts(tx, due.device_id, now)
  const trying = remediationUnderWay(context, key, attempts, due.started_at, now)
  if (trying?.step.next === 'attempt') {
    await askAgent(
      tx,
      { id: due.device_id, clientId: due.client_id },
      { post: due, action: trying.response.action, from: { remediationId: due.id } },
      now,
    )
    await tx.query('update remediation set next_at = $2 where id = $1', [due.id, time(now + checkAgain)])
  } else if (trying?.step.next === 'wait') {
    await tx.query('update remediation set next_at = $2 where id = $1', [
      due.id,
      time(Math.min(trying.step.until, now + checkAgain)),
    ])
    return
  } else {
    // Nothing more to try: the person is told.
    await settlePosts(tx, context, await readAlerting(tx, due.device_id), context.state, now, now)
    await tx.query('update device set version = version + 1 where id = $1', [due.device_id])
  }
  announce(tx, { topic: 'alerts', clientIds: [due.client_id], deviceIds: [due.device_id] })
}

/** Moves on what is being tried, wherever its time has come. */
export async function advanceRemediations(pool: Pool, now: Millis): Promise<number> {
  const due = await rows<Due>(
    pool,
    `select id, device_id, client_id, watch, instance, started_at from remediation
     where ended_at is null and next_at <= $1 order by next_at limit 500`,
    [time(now)],
  )
  await eachAlone(due, (row) => inTransaction(pool, (tx) => turn(tx, row, now)))
  return due.length
}

/**
 * What an agent tells of a task: the record is settled, and what waited for it goes on.
 * @returns whether there was such a task
 */
export async function recordService(
  tx: Db,
  deviceId: DeviceId,
  taskId: number,
  progress: ServiceProgress,
  now: Millis,
): Promise<boolean> {
  // The device first, as everything that changes what is open on it.
  await tx.query('select from device where id = $1 for update', [deviceId])
  const found = await firstRow<{
    remediation_id: number | null
    alert_id: number | null
    person_id: number | null
    client_id: number
    verb: ServiceAction['verb']
    service: string
  }>(
    tx,
    `
    update response set state = $3, ended_at = $4, hopeless = $5, before = $6, after = $7, reason = $8
    where task_id = $1 and device_id = $2 and state = 'asked' returning *`,
    [taskId, deviceId, progress.state, time(now), progress.hopeless, progress.before, progress.after, progress.reason],
  )
  if (!found) return false
  await tx.query(`update device_task set state = 'over' where id = $1`, [taskId])
  await tx.query('update remediation set next_at = $2 where id = $1', [found.remediation_id, time(now)])
  if (found.alert_id !== null)
    await addEntry(tx, found.alert_id, {
      at: now,
      event: 'attempted',
      detail: { verb: found.verb, service: found.service, succeeded: progress.state === 'done' },
      personId: found.person_id,
      text: triedText(progress),
    })
  announce(tx, { topic: 'alerts', clientIds: [found.client_id], deviceIds: [deviceId] })
  return true
}
