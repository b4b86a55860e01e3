import { hour, type Millis } from '#core'
import { firstRow, rows, time, type Db } from '../../db'
import type { Addressee } from './people'

interface Settings {
  gather: Millis
  mostAnHour: number
}

export async function calloutSettings(db: Db): Promise<Settings> {
  return (await firstRow<Settings>(
    db,
    'select gather_ms as gather, most_an_hour as "mostAnHour" from callout_settings',
  ))!
}

/**
 * Puts what is to be said into messages. What one person is told within a short time is one message; another system
 * gets each by itself.
 */
export async function putIn(tx: Db, told: readonly { stepId: number; to: Addressee }[], now: Millis): Promise<void> {
  const { gather, mostAnHour } = await calloutSettings(tx)
  const people = new Map<number, number[]>()
  for (const { stepId, to } of told)
    if ('person' in to) people.set(to.person, [...(people.get(to.person) ?? []), stepId])
    else await add(tx, await open(tx, { webhook: to.webhook }, now, false), [stepId])
  for (const [person, stepIds] of people) {
    const gathering = await firstRow<{ id: string }>(
      tx,
      `select id from callout_message where person_id = $1 and kind = 'callout' and state = 'gathering' and leaves_at > now()
       order by number limit 1 for update`,
      [person],
    )
    await add(tx, gathering?.id ?? (await openFor(tx, person, now, gather, mostAnHour)), stepIds)
  }
}

/** A message to a person, later than usual where they have got as many within an hour as anybody should. */
async function openFor(tx: Db, person: number, now: Millis, gather: Millis, most: number): Promise<string> {
  const recent = await rows<{ at: Millis }>(
    tx,
    `select created_at as at from callout_message
     where person_id = $1 and kind = 'callout' and created_at > $2 and state <> 'dropped' order by number desc limit $3`,
    [person, time(now - hour), most],
  )
  const isThrottled = recent.length >= most
  const leavesAt = isThrottled ? Math.max(now + gather, recent.at(-1)!.at + hour) : now + gather
  return open(tx, { person }, leavesAt, isThrottled)
}

async function open(tx: Db, to: Addressee, leavesAt: Millis, isThrottled: boolean): Promise<string> {
  const row = await firstRow<{ id: string }>(
    tx,
    `insert into callout_message (person_id, webhook_id, leaves_at, is_throttled) values ($1, $2, $3, $4) returning id`,
    ['person' in to ? to.person : null, 'webhook' in to ? to.webhook : null, time(leavesAt), isThrottled],
  )
  return row!.id
}

async function add(tx: Db, messageId: string, stepIds: readonly number[]): Promise<void> {
  await tx.query(
    'insert into callout_told (step_id, message_id) select s, $1 from unnest($2::bigint[]) s on conflict do nothing',
    [messageId, stepIds],
  )
}
