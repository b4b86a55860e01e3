import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import type {
  DeployNews,
  DeployOrder,
  SignedText,
  SweepNews,
  SweepOrder,
  Task,
  TaskNews,
  UpdateOrder,
  ServiceOrder,
} from '#contract/report'
import { deploy } from './deploy'
import { writeWhole } from '../files'
import type { Identity } from '../identity/identity'
import { isSignedBy, NotOursError } from '../signature'
import { actOnService, hasComeSince } from './service'
import { mayOnlyLook } from '../updates/starter'
import { sweep } from './sweep'
import { tell } from './tell'
import { prepareUpdate } from '../updates/update'

/** An order that is the server's, and not for an agent that changes nothing; the server is told so. */
class LooksOnlyError extends NotOursError {
  constructor(readonly task: Task) {
    super('this agent was installed to look only')
  }

  get news(): TaskNews {
    const reason = this.message
    if (this.task.order.kind === 'service')
      return { service: { state: 'failed', before: '', after: '', reason, hopeless: true } }
    if (this.task.order.kind === 'deploy')
      return { deploy: { state: 'failed', step: '', failure: 'no rights', reason, hostKey: null, trial: null } }
    return { update: { state: 'failed', step: '', reason } }
  }
}

/**
 * Reads an order, when it is the server's and for this device.
 * @param now by the clock that set the time of expiry; an order that has expired by an hour more than clocks differ is
 * old
 * @throws NotOursError
 */
export function readOrder(
  signed: SignedText,
  identity: Pick<Identity, 'serverKey' | 'deviceId' | 'looksOnly'>,
  now: number,
): Task {
  if (!identity.serverKey) throw new NotOursError('this machine was enrolled before orders were signed: enrol it anew')
  if (!isSignedBy(signed, identity.serverKey)) throw new NotOursError('its signature is not the server’s')
  const task = JSON.parse(signed.text) as Task
  if (task.deviceId !== identity.deviceId) throw new NotOursError('it is for another device')
  if (now > task.expiresAt + 3_600_000) throw new NotOursError('it has expired')
  // A sweep looks as well; everything else changes this machine, or another.
  if (task.order.kind !== 'sweep' && mayOnlyLook(identity)) throw new LooksOnlyError(task)
  if (!['sweep', 'deploy', 'update', 'service'].includes(task.order.kind))
    throw new NotOursError(`it asks for “${String(task.order.kind)}”, which this agent does not do`)
  return task
}

const tellEvery = 1500

/**
 * Carries out what the server asks for, beside the collecting; sweeps and services one after the other, machines as
 * many as it asks for. `changed`: what was read before is no longer so. Nothing is done twice.
 */
export class Orders {
  readonly #file: string
  #last: number
  #queue: Promise<void> = Promise.resolve()
  #services: Promise<void> = Promise.resolve()

  constructor(
    private readonly home: string,
    private readonly identity: Identity,
    private readonly say: (text: string) => void,
    private readonly restart: () => void = () => undefined,
    private readonly changed: () => void = () => undefined,
  ) {
    this.#file = join(home, 'last-order')
    // One that cannot be read counts as none: orders expire, and are not handed over twice.
    this.#last = existsSync(this.#file) ? Number(readFileSync(this.#file, 'utf8')) || 0 : 0
  }

  /** @param now by the server's clock, as far as it is known: this device's may be off by days */
  take(signed: SignedText, now = Date.now()): void {
    try {
      const task = readOrder(signed, this.identity, now)
      // Numbers rise: one that is not greater was here before, sent again by whoever saw it pass.
      if (task.id <= this.#last) throw new NotOursError('it was here before')
      this.#last = task.id
      writeWhole(this.#file, String(task.id))
      const { order } = task
      const failed = (error: unknown) => this.say(`order ${task.id}: ${(error as Error).message}`)
      if (order.kind === 'update') void this.#update(task, order).catch(failed)
      else if (order.kind === 'service')
        this.#services = this.#services.then(() => this.#service(task, order)).catch(failed)
      else if (order.kind === 'deploy') void this.#deploy(task, order).catch(failed)
      else this.#queue = this.#queue.then(() => this.#sweep(task, order)).catch(failed)
    } catch (error) {
      this.say(`an order was refused: ${(error as Error).message}`)
      if (error instanceof LooksOnlyError) void this.#tell(error.task, error.news).catch(() => undefined)
    }
  }

  #tell(task: Task, news: TaskNews): Promise<void> {
    return tell(this.identity, task.id, news)
  }

  /** Fetches and tries; the new program tells how it went on, or the old one that it came back. */
  async #update(task: Task, order: UpdateOrder): Promise<void> {
    this.say(`order ${task.id}: version ${order.version}`)
    try {
      const isPrepared = await prepareUpdate(
        this.home,
        this.identity,
        task.id,
        order,
        (step) => void this.#tell(task, { update: { state: 'running', step, reason: '' } }).catch(() => undefined),
      )
      if (!isPrepared) {
        await this.#tell(task, { update: { state: 'done', step: '', reason: 'it ran already' } })
        return
      }
    } catch (error) {
      await this.#tell(task, { update: { state: 'failed', step: '', reason: (error as Error).message.slice(0, 900) } })
      return
    }
    this.restart()
  }

  async #service(task: Task, order: ServiceOrder): Promise<void> {
    this.say(`order ${task.id}: ${order.verb} ${order.service}`)
    let news = await actOnService(order)
    const isTooNew = news.hopeless && (await hasComeSince(order.service))
    if (isTooNew)
      news = {
        ...news,
        hopeless: false,
        reason: 'it has come to this machine after the start of the agent, which starts anew to be allowed to',
      }
    this.say(`order ${task.id}: ${news.state === 'done' ? `${order.service} is ${news.after}` : news.reason}`)
    this.changed()
    await this.#tell(task, { service: news })
    if (isTooNew) this.restart()
  }

  async #deploy(task: Task, order: DeployOrder): Promise<void> {
    this.say(`order ${task.id}: bringing an agent to ${order.address}`)
    let told = Promise.resolve()
    const news = (news: DeployNews) => {
      told = told.then(() => this.#tell(task, { deploy: news }))
    }
    news(
      await deploy(order, this.identity, (step, hostKey) =>
        news({ state: 'running', step, failure: null, reason: '', hostKey, trial: null }),
      ),
    )
    await told
  }

  async #sweep(
    task: Task,
    { network, ports, trials = [], hostKeys = {}, passwordsToUnknown = false }: SweepOrder,
  ): Promise<void> {
    this.say(`order ${task.id}: sweeping ${network}`)
    let unsaid: SweepNews['found'] = []
    let [scanned, total, saidAt] = [0, 0, 0]
    try {
      await sweep(
        network,
        ports,
        async (progress) => {
          ;({ scanned, total } = progress)
          if (progress.found) unsaid.push(progress.found)
          if (Date.now() - saidAt < tellEvery || scanned === total) return
          saidAt = Date.now()
          const found = unsaid
          unsaid = []
          await this.#tell(task, { sweep: { state: 'running', reason: '', scanned, total, found } })
        },
        { trials, hostKeys, passwordsToUnknown },
      )
      await this.#tell(task, { sweep: { state: 'done', reason: '', scanned: total, total, found: unsaid } })
    } catch (error) {
      await this.#tell(task, {
        sweep: { state: 'failed', reason: (error as Error).message.slice(0, 500), scanned, total, found: unsaid },
      })
    }
  }
}
