import type { Order, ServiceOrder, SignedText, SweepOrder, Task } from '#contract'
import type { ClientId, DeviceId, Millis } from '#core'
import { firstRow, inTransaction, rows, time, type Db, type Pool } from '../db'
import { ProblemError } from '../http/problems'
import type { Signer } from '../secrets/signer'

/** Work as it is kept: without secrets, which are put in when it is handed over. */
export type StoredOrder =
  | Omit<SweepOrder, 'trials' | 'hostKeys' | 'passwordsToUnknown'>
  | { kind: 'deploy'; runId: number; n: number }
  | { kind: 'update'; runId: number }
  | ServiceOrder

/** @throws ProblemError invalid when this device cannot be asked to work in its client's network */
export async function requireWorker(tx: Db, deviceId: DeviceId, clientId: ClientId): Promise<void> {
  const device = await firstRow<{ name: string; takes_orders: boolean }>(
    tx,
    'select name, takes_orders from device where id = $1 and client_id = $2 and retired_at is null',
    [deviceId, clientId],
  )
  if (!device)
    throw new ProblemError('invalid', 'The device that does it must be one of this client, with an agent.', [
      { at: 'deviceId', message: 'not of this client' },
    ])
  if (!device.takes_orders)
    throw new ProblemError(
      'invalid',
      `The agent of ${device.name} takes no orders. Choose another device, or install its agent anew.`,
      [{ at: 'deviceId', message: 'takes no orders' }],
    )
}

/** Puts work up for a device; it is handed over with the receipt of its next report. */
export async function addTask(tx: Db, deviceId: DeviceId, order: StoredOrder, expiresAt: Millis): Promise<number> {
  return (await firstRow<{ id: number }>(
    tx,
    'insert into device_task (device_id, order_text, expires_at) values ($1, $2, $3) returning id',
    [deviceId, JSON.stringify(order), time(expiresAt)],
  ))!.id
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

/** Makes the order that is handed over of the one that is kept; null: it is not to be carried out any more. */
export type CompleteOrder = (tx: Db, order: StoredOrder, taskId: number) => Promise<Order | null>

const lookEvery = 2000

/** Which devices have work waiting; looked up from time to time, so that a report without work costs nothing. */
export class TaskBoard {
  #waiting = new Set<DeviceId>()
  readonly #timer: NodeJS.Timeout

  constructor(
    private readonly pool: Pool,
    private readonly signer: Signer,
    private readonly complete: CompleteOrder,
    private readonly waiting: (deviceIds: Iterable<DeviceId>) => void = () => undefined,
  ) {
    this.#timer = setInterval(() => void this.look().catch(() => undefined), lookEvery).unref()
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
      const taken = await rows<{ id: number; order_text: StoredOrder; expires_at: Millis }>(
        tx,
        `
        update device_task set state = case when expires_at > now() then 'sent' else 'over' end where device_id = $1 and state = 'queued' returning id, order_text, expires_at`,
        [deviceId],
      )
      const signed: SignedText[] = []
      for (const row of taken.sort((a, b) => a.id - b.id)) {
        const order = row.expires_at > Date.now() ? await this.complete(tx, row.order_text, row.id) : null
        if (!order) continue
        const text = JSON.stringify({ id: row.id, deviceId, expiresAt: row.expires_at, order } satisfies Task)
        signed.push({ text, signature: this.signer.sign(text) })
      }
      return signed
    })
  }

  stop(): void {
    clearInterval(this.#timer)
  }
}
