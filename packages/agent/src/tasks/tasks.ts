import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import type {
  DeployProgress,
  DeployCommand,
  SignedText,
  SweepProgress,
  SweepCommand,
  Task,
  TaskProgress,
  UpdateCommand,
  ServiceCommand,
} from '#contract/report'
import { deploy } from './deploy'
import { writeWhole } from '#files'
import type { Identity } from '../identity/identity'
import { isSignedBy, NotOursError } from '../signature'
import { actOnService, hasComeSince } from './service'
import { mayOnlyLook } from '../updates/starter'
import { sweep } from './sweep'
import { report } from './report'
import { prepareUpdate } from '../updates/update'

/** A task that is the server's, and not for an agent that changes nothing; the server is told so. */
class LooksOnlyError extends NotOursError {
  constructor(readonly task: Task) {
    super('this agent was installed to look only')
  }

  get progress(): TaskProgress {
    const reason = this.message
    if (this.task.command.kind === 'service')
      return { service: { state: 'failed', before: '', after: '', reason, hopeless: true } }
    if (this.task.command.kind === 'deploy')
      return { deploy: { state: 'failed', step: '', failure: 'no-rights', reason, hostKey: null, trial: null } }
    return { update: { state: 'failed', step: '', reason } }
  }
}

/**
 * Reads a task, when it is the server's and for this device.
 * @param now by the clock that set the time of expiry; one that has expired by an hour more than clocks differ is
 * old
 * @throws NotOursError
 */
export function readTask(
  signed: SignedText,
  identity: Pick<Identity, 'serverKey' | 'deviceId' | 'looksOnly'>,
  now: number,
): Task {
  if (!identity.serverKey) throw new NotOursError('this machine was enrolled before tasks were signed: enrol it anew')
  if (!isSignedBy(signed, identity.serverKey)) throw new NotOursError('its signature is not the server’s')
  const task = JSON.parse(signed.text) as Task
  if (task.deviceId !== identity.deviceId) throw new NotOursError('it is for another device')
  if (now > task.expiresAt + 3_600_000) throw new NotOursError('it has expired')
  // A sweep looks as well; everything else changes this machine, or another.
  if (!['sweep', 'read'].includes(task.command.kind) && mayOnlyLook(identity)) throw new LooksOnlyError(task)
  if (!['sweep', 'deploy', 'update', 'service', 'read'].includes(task.command.kind))
    throw new NotOursError(`it asks for “${String(task.command.kind)}”, which this agent does not do`)
  return task
}

const reportEvery = 1500

/**
 * Carries out what the server asks for, beside the collecting; sweeps and services one after the other, machines as
 * many as it asks for. `changed`: what was read before is no longer so; `readAnew`: it is to be read whether it is or
 * not. Nothing is done twice.
 */
export class Tasks {
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
    private readonly readAnew: () => void = () => undefined,
  ) {
    this.#file = join(home, 'last-task')
    // One that cannot be read counts as none: tasks expire, and are not handed over twice. Version 0.4.0 kept it as
    // last-order.
    const readNumber = (path: string) => (existsSync(path) ? Number(readFileSync(path, 'utf8')) || 0 : 0)
    this.#last = Math.max(readNumber(this.#file), readNumber(join(home, 'last-order')))
  }

  /** @param now by the server's clock, as far as it is known: this device's may be off by days */
  take(signed: SignedText, now = Date.now()): void {
    try {
      const task = readTask(signed, this.identity, now)
      // Numbers rise: one that is not greater was here before, sent again by whoever saw it pass.
      if (task.id <= this.#last) throw new NotOursError('it was here before')
      this.#last = task.id
      writeWhole(this.#file, String(task.id))
      const { command } = task
      const failed = (error: unknown) => this.say(`task ${task.id}: ${(error as Error).message}`)
      if (command.kind === 'read') {
        this.say(`task ${task.id}: reading everything anew`)
        this.readAnew()
      } else if (command.kind === 'update') void this.#update(task, command).catch(failed)
      else if (command.kind === 'service')
        this.#services = this.#services.then(() => this.#service(task, command)).catch(failed)
      else if (command.kind === 'deploy') void this.#deploy(task, command).catch(failed)
      else this.#queue = this.#queue.then(() => this.#sweep(task, command)).catch(failed)
    } catch (error) {
      this.say(`a task was refused: ${(error as Error).message}`)
      if (error instanceof LooksOnlyError) void this.#report(error.task, error.progress).catch(() => undefined)
    }
  }

  #report(task: Task, progress: TaskProgress): Promise<void> {
    return report(this.identity, task.id, progress)
  }

  /** Fetches and tries; the new program tells how it went on, or the old one that it came back. */
  async #update(task: Task, command: UpdateCommand): Promise<void> {
    this.say(`task ${task.id}: version ${command.version}`)
    try {
      const isPrepared = await prepareUpdate(
        this.home,
        this.identity,
        task.id,
        command,
        (step) => void this.#report(task, { update: { state: 'running', step, reason: '' } }).catch(() => undefined),
      )
      if (!isPrepared) {
        await this.#report(task, { update: { state: 'done', step: '', reason: 'it ran already' } })
        return
      }
    } catch (error) {
      await this.#report(task, {
        update: { state: 'failed', step: '', reason: (error as Error).message.slice(0, 900) },
      })
      return
    }
    this.restart()
  }

  async #service(task: Task, command: ServiceCommand): Promise<void> {
    this.say(`task ${task.id}: ${command.verb} ${command.service}`)
    let progress = await actOnService(command)
    const isTooNew = progress.hopeless && (await hasComeSince(command.service))
    if (isTooNew)
      progress = {
        ...progress,
        hopeless: false,
        reason: 'it has come to this machine after the start of the agent, which starts anew to be allowed to',
      }
    this.say(
      `task ${task.id}: ${progress.state === 'done' ? `${command.service} is ${progress.after}` : progress.reason}`,
    )
    this.changed()
    await this.#report(task, { service: progress })
    if (isTooNew) this.restart()
  }

  async #deploy(task: Task, command: DeployCommand): Promise<void> {
    this.say(`task ${task.id}: bringing an agent to ${command.address}`)
    let told = Promise.resolve()
    const progress = (progress: DeployProgress) => {
      told = told.then(() => this.#report(task, { deploy: progress }))
    }
    progress(
      await deploy(command, this.identity, (step, hostKey) =>
        progress({ state: 'running', step, failure: null, reason: '', hostKey, trial: null }),
      ),
    )
    await told
  }

  async #sweep(
    task: Task,
    { network, ports, trials = [], hostKeys = {}, passwordsToUnknown = false }: SweepCommand,
  ): Promise<void> {
    this.say(`task ${task.id}: sweeping ${network}`)
    let unsaid: SweepProgress['found'] = []
    let [scanned, total, saidAt] = [0, 0, 0]
    try {
      await sweep(
        network,
        ports,
        async (progress) => {
          ;({ scanned, total } = progress)
          if (progress.found) unsaid.push(progress.found)
          if (Date.now() - saidAt < reportEvery || scanned === total) return
          saidAt = Date.now()
          const found = unsaid
          unsaid = []
          await this.#report(task, { sweep: { state: 'running', reason: '', scanned, total, found } })
        },
        { trials, hostKeys, passwordsToUnknown },
      )
      await this.#report(task, { sweep: { state: 'done', reason: '', scanned: total, total, found: unsaid } })
    } catch (error) {
      await this.#report(task, {
        sweep: { state: 'failed', reason: (error as Error).message.slice(0, 500), scanned, total, found: unsaid },
      })
    }
  }
}
