import type { ServiceProgress } from '#contract'
import {
  answerWithin,
  longestRemediation,
  remediationStep,
  minute,
  postKey,
  responseOf,
  silentIntervals,
  splitPostKey,
  attemptsCountFor,
  type DeviceId,
  type Millis,
  type RemediationStep,
  type Response,
  type ServiceAction,
  type Attempt,
} from '#core'
import { rows, time, type Db } from '../../db'
import { addTask, cancelTasks } from '../../store/tasks'
import type { DeviceContext } from '../types'

/** Attempts that were made by themselves and may still count, by post. */
export async function readAttempts(db: Db, deviceId: DeviceId, now: Millis): Promise<Map<string, Attempt[]>> {
  const found = await rows<Attempt & { watch: string; instance: string }>(
    db,
    `
    select watch, instance, at, state, ended_at as "endedAt", hopeless from response
    where device_id = $1 and at > $2 and person_id is null`,
    [deviceId, time(now - attemptsCountFor - longestRemediation)],
  )
  const attempts = new Map<string, Attempt[]>()
  for (const { watch, instance, ...rest } of found) {
    const key = postKey(watch, instance)
    attempts.set(key, [...(attempts.get(key) ?? []), rest])
  }
  return attempts
}

/** What a post's watch would still do before a person is told; null where it does nothing, or its agent cannot. */
export function remediationUnderWay(
  context: DeviceContext,
  key: string,
  attempts: ReadonlyMap<string, readonly Attempt[]>,
  startedAt: Millis,
  now: Millis,
): { response: Response; step: RemediationStep } | null {
  const { watch, instance } = splitPostKey(key)
  const effective = context.roster.find((candidate) => candidate.key === watch && candidate.standing === 'active')
  const post = context.state.get(key)
  const response = effective && context.facts.system?.remediates ? responseOf(effective, instance) : null
  if (!response || !post) return null
  // Devices that report every few seconds are late now and then; that is no reason to give up on them.
  const gap = Math.max(minute, silentIntervals * (context.reportedInterval ?? context.interval))
  const step = remediationStep(
    response,
    attempts.get(key) ?? [],
    post,
    { startedAt, heardAt: context.heardAt ?? startedAt, gap },
    now,
  )
  return step.next === 'escalate' ? null : { response, step }
}

export interface Asked {
  /** The post that it is about; null where somebody asks of a service itself. */
  post: { watch: string; instance: string } | null
  action: ServiceAction
  from: { remediationId: number } | { alertId: number | null; personId: number }
}

/** Puts the task up for the device, with the record of it. */
export async function askAgent(
  tx: Db,
  device: { id: DeviceId; clientId: number },
  { post, action, from }: Asked,
  now: Millis,
): Promise<void> {
  const taskId = await addTask(tx, device.id, { kind: 'service', ...action }, now + answerWithin)
  await tx.query(
    `
    insert into response (device_id, client_id, watch, instance, verb, service, person_id, alert_id, remediation_id,
    task_id, at) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)`,
    [
      device.id,
      device.clientId,
      post?.watch ?? null,
      post?.instance ?? null,
      action.verb,
      action.service,
      'personId' in from ? from.personId : null,
      'alertId' in from ? from.alertId : null,
      'remediationId' in from ? from.remediationId : null,
      taskId,
      time(now),
    ],
  )
}

/** A task that the agent has not fetched yet goes nowhere; what it is at is let finish. */
export async function callOff(tx: Db, remediationId: number, now: Millis, reason: string): Promise<void> {
  const called = await cancelTasks(
    tx,
    (
      await rows<{ task_id: number }>(
        tx,
        `select task_id from response where remediation_id = $1 and state = 'asked'`,
        [remediationId],
      )
    ).map((row) => row.task_id),
  )
  await tx.query(`update response set state = 'failed', ended_at = $2, reason = $3 where task_id = any($1)`, [
    called,
    time(now),
    reason,
  ])
}

/** How an attempt went, in short. */
export function triedText({ before, after, reason }: Pick<ServiceProgress, 'before' | 'after' | 'reason'>): string {
  const turned = before && after ? (before === after ? `still ${after}` : `was ${before}, is ${after}`) : ''
  return [turned, reason].filter(Boolean).join('; ')
}
