import type { ServiceNews } from '#contract'
import { answerWithin, mendingStep, postKey, responseOf, splitPostKey, triesCountFor, type DeviceId, type Millis, type Response, type ServiceAction, type Try } from '#core'
import { rows, time, type Db } from '../db'
import { addTask, takeBack } from '../features/rollout/tasks'
import type { DeviceContext } from './types'

/** Tries of the last hour that were made by themselves, by post. */
export async function readTries(db: Db, deviceId: DeviceId, now: Millis): Promise<Map<string, Try[]>> {
  const found = await rows<Try & { watch: string; instance: string }>(db, `
    select watch, instance, at, state, ended_at as "endedAt", hopeless from response where device_id = $1 and at > $2 and person_id is null`, [deviceId, time(now - triesCountFor)])
  const tries = new Map<string, Try[]>()
  for (const { watch, instance, ...one } of found) {
    const key = postKey(watch, instance)
    tries.set(key, [...(tries.get(key) ?? []), one])
  }
  return tries
}

/** What a post's watch would still do before a person is told; null where it does nothing, or its agent cannot. */
export function stillTrying(context: DeviceContext, key: string, tries: ReadonlyMap<string, readonly Try[]>, now: Millis): Response | null {
  const { watch, instance } = splitPostKey(key)
  const effective = context.roster.find((one) => one.key === watch && one.standing === 'active')
  const post = context.state.get(key)
  const response = effective && context.facts.system?.mends ? responseOf(effective, instance) : null
  return response && post && mendingStep(response, tries.get(key) ?? [], post, now).next !== 'tell' ? response : null
}

export interface Asked { watch: string; instance: string; action: ServiceAction; from: { mendingId: number } | { alertId: number; personId: number } }

/** Puts the order up for the device, with the record of it. */
export async function askAgent(tx: Db, device: { id: DeviceId; clientId: number }, { watch, instance, action, from }: Asked, now: Millis): Promise<void> {
  const taskId = await addTask(tx, device.id, { kind: 'service', ...action }, now + answerWithin)
  await tx.query(`
    insert into response (device_id, client_id, watch, instance, verb, service, person_id, alert_id, mending_id, task_id, at) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)`,
    [device.id, device.clientId, watch, instance, action.verb, action.service, 'personId' in from ? from.personId : null, 'alertId' in from ? from.alertId : null, 'mendingId' in from ? from.mendingId : null, taskId, time(now)])
}

/** An order that the agent has not fetched yet goes nowhere; what it is at is let finish. */
export async function callOff(tx: Db, mendingId: number, now: Millis, reason: string): Promise<void> {
  const called = await takeBack(tx, (await rows<{ task_id: number }>(tx, `select task_id from response where mending_id = $1 and state = 'asked'`, [mendingId])).map((one) => one.task_id))
  await tx.query(`update response set state = 'failed', ended_at = $2, reason = $3 where task_id = any($1)`, [called, time(now), reason])
}

export const wentWell = { start: 'started', stop: 'stopped', restart: 'restarted' } as const

/** How a try went, in short. */
export function triedText({ before, after, reason }: Pick<ServiceNews, 'before' | 'after' | 'reason'>): string {
  const turned = before && after ? (before === after ? `still ${after}` : `was ${before}, is ${after}`) : ''
  return [turned, reason].filter(Boolean).join('; ')
}
