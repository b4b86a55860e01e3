import type { Command, ReadCommand, ServiceCommand, SignedText, SweepCommand, TaskOnWire } from '#contract'
import { answerWithin, silentIntervals, type ClientId, type DeviceId, type Millis } from '#core'
import { firstRow, inTransaction, rows, time, type Db, type Pool } from '../db'
import { ProblemError } from '../http/problems'
import type { Signer } from '../secrets/signer'

/** Work as it is kept: without secrets, which are put in when it is handed over. */
export type StoredCommand =
  | Omit<SweepCommand, 'trials' | 'hostKeys' | 'passwordsToUnknown'>
  | { kind: 'deploy'; runId: number; n: number }
  | { kind: 'update'; runId: number }
  | ServiceCommand
  | ReadCommand

/** @throws ProblemError invalid when this device cannot be asked to work in its client's network */
export async function requireWorker(tx: Db, deviceId: DeviceId, clientId: ClientId): Promise<void> {
  const device = await firstRow<{ name: string; takes_tasks: boolean }>(
    tx,
    'select name, takes_tasks from device where id = $1 and client_id = $2 and retired_at is null',
    [deviceId, clientId],
  )
  if (!device)
    throw new ProblemError('invalid', 'The device that does it must be one of this client, with an agent.', [
      { at: 'deviceId', message: 'not of this client' },
    ])
  if (!device.takes_tasks)
    throw new ProblemError(
      'invalid',
      `The agent of ${device.name} takes no tasks. Choose another device, or install its agent anew.`,
      [{ at: 'deviceId', message: 'takes no tasks' }],
    )
}

/** Puts work up for a device; it is handed over with the receipt of its next report. */
export async function addTask(tx: Db, deviceId: DeviceId, command: StoredCommand, expiresAt: Millis): Promise<number> {
  return (await firstRow<{ id: number }>(
    tx,
    'insert into device_task (device_id, command, expires_at) values ($1, $2, $3) returning id',
    [deviceId, JSON.stringify(command), time(expiresAt)],
  ))!.id
}

/**
 * Has the agent of a device read everything anew and report at once; what it finds is judged as any report is. Asked
 * twice before it has fetched it, it is asked once.
 * @throws ProblemError invalid where nobody would answer
 */
export async function askToRead(tx: Db, deviceId: DeviceId, now: Millis): Promise<void> {
  const device = await firstRow<{ name: string; obeys: boolean; isHeard: boolean }>(
    tx,
    // One that does anything that is signed does this, too.
    `select name, takes_tasks or updatable or exists (select from current_fact f where f.device_id = device.id
         and f.subject = 'system' and (f.value->>'remediates')::boolean) as obeys,
       coalesce(now() - heard_at
       < make_interval(secs => ($2::float8 * coalesce(reported_interval_ms, interval_ms) + 5000) / 1000.0), false) as "isHeard"
     from device where id = $1 and retired_at is null for update`,
    [deviceId, silentIntervals],
  )
  if (!device) throw new ProblemError('no-such-device')
  if (!device.isHeard)
    throw new ProblemError('invalid', `${device.name} is silent: nobody can ask its agent anything now.`)
  if (!device.obeys)
    throw new ProblemError('invalid', `The agent of ${device.name} takes no tasks. Install its agent anew.`)
  // One of them is kept, at most: what was fetched, or came too late, is of no use to anybody.
  await tx.query(
    `delete from device_task
     where device_id = $1 and command->>'kind' = 'read' and (state = 'over' or expires_at <= now())`,
    [deviceId],
  )
  const waits = await firstRow(
    tx,
    `select from device_task
     where device_id = $1 and state = 'queued' and command->>'kind' = 'read'`,
    [deviceId],
  )
  if (!waits) await addTask(tx, deviceId, { kind: 'read' }, now + answerWithin)
}

/** Takes back what no device has fetched yet. @returns those of the tasks that go nowhere now */
export async function cancelTasks(tx: Db, taskIds: readonly number[]): Promise<number[]> {
  return (
    await rows<{ id: number }>(
      tx,
      `update device_task set state = 'over' where id = any($1) and state = 'queued' returning id`,
      [taskIds],
    )
  ).map((row) => row.id)
}

/** Makes the command that is handed over of the one that is kept; null: it is not to be carried out any more. */
export type CompleteCommand = (tx: Db, command: StoredCommand, taskId: number) => Promise<Command | null>

const pollEvery = 2000

/** Which devices have work waiting; looked up from time to time, so that a report without work costs nothing. */
export class TaskBoard {
  #waiting = new Set<DeviceId>()
  readonly #timer: NodeJS.Timeout

  constructor(
    private readonly pool: Pool,
    private readonly signer: Signer,
    private readonly complete: CompleteCommand,
    private readonly waiting: (deviceIds: Iterable<DeviceId>) => void = () => undefined,
  ) {
    this.#timer = setInterval(() => void this.look().catch(() => undefined), pollEvery).unref()
  }

  async look(): Promise<void> {
    const found = await rows<{ device_id: DeviceId }>(
      this.pool,
      `select distinct device_id from device_task where state = 'queued' limit 100000`,
    )
    this.#waiting = new Set(found.map((row) => row.device_id))
    if (this.#waiting.size) this.waiting(this.#waiting)
  }

  has(deviceId: DeviceId): boolean {
    return this.#waiting.has(deviceId)
  }

  /** Takes the work of a device off the board, signed. */
  async take(deviceId: DeviceId): Promise<SignedText[]> {
    if (!this.#waiting.delete(deviceId)) return []
    return inTransaction(this.pool, async (tx) => {
      const taken = await rows<{ id: number; command: StoredCommand; expires_at: Millis }>(
        tx,
        `
        update device_task set state =
          -- Nothing is told of what is only to be read: the report that follows is the answer.
          case when expires_at > now() and command->>'kind' <> 'read' then 'sent' else 'over' end
        where device_id = $1 and state = 'queued' returning id, command, expires_at`,
        [deviceId],
      )
      const signed: SignedText[] = []
      for (const row of taken.sort((a, b) => a.id - b.id)) {
        const command = row.expires_at > Date.now() ? await this.complete(tx, row.command, row.id) : null
        if (!command) continue
        const text = JSON.stringify({
          id: row.id,
          deviceId,
          expiresAt: row.expires_at,
          command,
          order: command,
        } satisfies TaskOnWire)
        signed.push({ text, signature: this.signer.sign(text) })
      }
      return signed
    })
  }

  stop(): void {
    clearInterval(this.#timer)
  }
}
