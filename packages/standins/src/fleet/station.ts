import { createPublicKey, verify } from 'node:crypto'
import { setTimeout as wait } from 'node:timers/promises'
import { gzipSync } from 'node:zlib'
import type { Pool } from 'undici'
import {
  protocolVersion,
  type AgentSettings,
  type ChangeAnswer,
  type Enrolment,
  type Report,
  type ReportBatch,
  type ReportReceipt,
  type ServiceProgress,
  type ServiceCommand,
  type SignedText,
  type Task,
  type UpdateProgress,
  type UpdateCommand,
} from '#contract/report'
import { collectorOfMetric, isKept, pacedCollectors, second, type Facts, type Millis, type PacedCollector } from '#core'
import { osFamilyOf } from '../estate'
import { Looks } from './looks'
import type { SimulatedDevice } from './simulated'

/** What a device keeps between runs. */
export interface Identity {
  deviceKey: string
  seq: number
  interval: Millis
  reportedAt: Millis
  serverKey: string
  /** Of the agent, once it was updated. */ version?: string
}

async function post<T>(server: Pool, path: string, body: unknown, key?: string): Promise<T> {
  const { statusCode, body: answer } = await server.request({
    path,
    method: 'POST',
    body: gzipSync(JSON.stringify(body), { level: 1 }),
    headers: {
      'content-type': 'application/json',
      'content-encoding': 'gzip',
      ...(key ? { authorization: `Bearer ${key}` } : {}),
    },
  })
  const text = await answer.text()
  if (statusCode !== 200) throw new Error(`${path}: ${statusCode} ${text}`)
  return JSON.parse(text) as T
}

/**
 * Speaks the agent's protocol for one stand-in device: in order, again until acknowledged, facts only when they change.
 */
export class Station {
  #queue: Report[] = []
  #told: Partial<Record<keyof Facts, string>> = {}
  #sending = false
  #settings: Pick<AgentSettings, 'every' | 'roster'> = { every: {}, roster: '' }
  readonly #ran = new Map<PacedCollector, Millis>()
  readonly #looks: Looks

  constructor(
    readonly device: SimulatedDevice,
    private readonly server: Pool,
    private readonly patience: Pool,
    public identity: Identity | null = null,
  ) {
    this.#looks = new Looks(device.end)
    if (identity?.version) device.version = identity.version
  }

  /** Its own clock, which may be off. */
  #clock(at: Millis): Millis {
    return at + (this.device.plan.story?.clock ?? 0) * second
  }

  async enrol(key: string): Promise<void> {
    const { plan } = this.device
    const enrolment = await post<Enrolment>(this.server, '/api/agent/enrol', {
      version: protocolVersion,
      key,
      name: plan.name,
      osFamily: osFamilyOf(plan),
      osName: plan.os,
      sentAt: this.#clock(Date.now()),
    })
    this.identity = {
      deviceKey: enrolment.deviceKey,
      seq: enrolment.firstSeq - 1,
      interval: enrolment.settings.interval,
      reportedAt: 0,
      serverKey: enrolment.serverKey,
    }
  }

  /** Puts the report of a moment into the queue. */
  observe(at: Millis, interval: Millis): void {
    const identity = this.identity!
    if (!this.device.reportsAt(at)) return
    const rested = pacedCollectors.filter(
      (collector) =>
        at - (this.#ran.get(collector) ?? 0) < (this.#settings.every[collector] ?? interval) - interval / 2,
    )
    for (const collector of pacedCollectors) if (!rested.includes(collector)) this.#ran.set(collector, at)
    const all = this.device.facts(at)
    if (rested.includes('services')) {
      delete all.services
      delete all.starts
    }
    const facts: Facts = {}
    for (const subject of Object.keys(all) as (keyof Facts)[]) {
      const text = JSON.stringify(all[subject])
      if (this.#told[subject] !== text) Object.assign(facts, { [subject]: all[subject] })
      this.#told[subject] = text
    }
    const events = this.device
      .events(identity.reportedAt || at - interval, at)
      .filter((event) => isKept(this.device.collect.keep ?? null, event))
      .map((event) => ({ ...event, at: this.#clock(event.at) }))
    const top = this.device.top(at)
    this.#queue.push({
      seq: ++identity.seq,
      at: this.#clock(at),
      interval,
      readings: this.device
        .readings(at)
        .filter(([metric]) => !rested.some((collector) => collector === collectorOfMetric(metric)))
        .map(([...reading]) => reading),
      ...(rested.length ? { rested } : {}),
      ...(this.#settings.roster ? { roster: this.#settings.roster } : {}),
      ...(Object.keys(facts).length ? { facts } : {}),
      ...(events.length ? { events: events.slice(-500) } : {}),
      ...(top ? { top } : {}),
    })
    identity.reportedAt = at
  }

  get waiting(): number {
    return this.#queue.length
  }

  /** Carries out what the server has signed. */
  async #obey({ text, signature }: SignedText): Promise<void> {
    const identity = this.identity!
    const key = createPublicKey({ key: Buffer.from(identity.serverKey, 'base64'), format: 'der', type: 'spki' })
    if (!verify(null, Buffer.from(text), key, Buffer.from(signature, 'base64'))) return
    const { id, command } = JSON.parse(text) as Task
    if (command.kind === 'update') await this.#update(id, command)
    if (command.kind === 'service') await this.#act(id, command)
    if (command.kind === 'read') await this.#readAnew()
  }

  async #readAnew(): Promise<void> {
    this.observe(Date.now(), this.identity!.interval)
    await this.send()
  }

  /** Starts or stops a service of the stand-in; one that its story keeps down does not come up. */
  async #act(id: number, { verb, service }: ServiceCommand): Promise<void> {
    const stateOf = () => this.device.services(Date.now()).find((candidate) => candidate.name === service)?.state ?? ''
    const before = stateOf()
    await wait(700)
    const broken = this.device.plan.story?.broken === service
    if (verb === 'stop') this.device.stop(service)
    else if (!broken) this.device.start(service)
    const progress: ServiceProgress =
      broken && verb !== 'stop'
        ? {
            state: 'failed',
            before,
            after: stateOf(),
            reason: `Job for ${service}.service failed because the control process exited with error code.`,
            hopeless: false,
          }
        : { state: 'done', before, after: stateOf(), reason: '', hopeless: false }
    await post(this.server, `/api/agent/tasks/${id}`, { service: progress }, this.identity!.deviceKey)
    this.observe(Date.now(), this.identity!.interval)
    await this.send()
  }

  /**
   * Updates itself as an agent would, without a program: one on which it does not work is silent for its time and goes
   * back.
   */
  async #update(id: number, command: UpdateCommand): Promise<void> {
    const identity = this.identity!
    const reportProgress = (update: UpdateProgress) =>
      post(this.server, `/api/agent/tasks/${id}`, { update }, identity.deviceKey)
    for (const step of ['downloading', 'unpacking', 'starting anew']) {
      await reportProgress({ state: 'running', step, reason: '' })
      await wait(1000 + 500 * (this.device.plan.name.length % 4))
    }
    if (this.device.plan.story?.updateFails) {
      const pause = Math.min(command.within, 30 * second)
      this.device.stuckUntil = Date.now() + pause
      await wait(pause)
      await reportProgress({
        state: 'failed',
        step: '',
        reason: `version ${command.version} did not report in time, or did not stay up; ${this.device.version} runs again`,
      })
      return
    }
    this.device.version = identity.version = command.version
    await reportProgress({ state: 'done', step: '', reason: 'reported 1 s after its start' })
  }

  #follow(settings: AgentSettings): void {
    this.identity!.interval = settings.interval
    this.device.collect = settings.collect
    this.#settings = settings
  }

  /** Waits at the server for another roster, as an agent does; one that is off, or cut off, does not. */
  async awaitChange(): Promise<void> {
    if (!this.identity || !this.device.reportsAt(Date.now())) return
    const { settings, work } = await post<ChangeAnswer>(
      this.patience,
      '/api/agent/changes',
      { roster: this.#settings.roster },
      this.identity.deviceKey,
    )
    this.#follow(settings)
    // What is to be done comes with the receipt of a report.
    if (!work) return
    this.observe(Date.now(), this.identity.interval)
    await this.send()
  }

  async #tellLooks(): Promise<void> {
    const { probes = [] } = this.device.collect
    if (!probes.length || !this.device.reportsAt(Date.now())) return
    await post(
      this.server,
      '/api/agent/probes',
      { probes: this.#looks.told(probes, Date.now()) },
      this.identity!.deviceKey,
    )
  }

  /** Sends what waits, oldest first. A failure leaves it waiting. */
  async send(): Promise<void> {
    if (this.#sending || !this.identity) return
    this.#sending = true
    try {
      while (this.#queue.length) {
        const batch: ReportBatch = {
          version: protocolVersion,
          sentAt: this.#clock(Date.now()),
          up: Date.now() - this.device.startedAt(Date.now()),
          boot: String(this.device.startedAt(Date.now())),
          oldest: this.#queue[0]!.seq,
          reports: this.#queue.slice(0, 120),
        }
        const receipt = await post<ReportReceipt>(this.server, '/api/agent/reports', batch, this.identity.deviceKey)
        this.#queue = this.#queue.filter((report) => report.seq > receipt.acknowledged)
        this.#follow(receipt.settings)
        for (const task of receipt.tasks ?? []) void this.#obey(task).catch(() => undefined)
      }
      await this.#tellLooks()
    } finally {
      this.#sending = false
    }
  }
}
