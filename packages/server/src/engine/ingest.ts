import { timingSafeEqual } from 'node:crypto'
import type { AgentSettings, ReportReceipt } from '#contract'
import type { DeviceId, Millis, OptionalCollector } from '#core'
import type { Pool } from '../db'
import { digest } from '../features/access/secret'
import { ProblemError } from '../http/problems'
import { checkBatch, checkEnvelope } from './checkBatch'
import { commitPlan, traitsAfter } from './commit'
import { loadContext } from './context'
import { planBatch } from './plan'
import type { DeviceContext } from './types'

const kept = 20_000

/** Contexts of the devices that report here, the least recently used given up first. Only a shortcut: see commitPlan. */
class ContextCache {
  readonly #contexts = new Map<DeviceId, DeviceContext>()

  get(id: DeviceId): DeviceContext | undefined {
    const found = this.#contexts.get(id)
    if (found) {
      this.#contexts.delete(id)
      this.#contexts.set(id, found)
    }
    return found
  }
  put(context: DeviceContext): void {
    this.#contexts.set(context.traits.id, context)
    if (this.#contexts.size > kept) this.#contexts.delete(this.#contexts.keys().next().value!)
  }
  drop(id: DeviceId): void {
    this.#contexts.delete(id)
  }
}

/** Device keys read `cdk.<device>.<secret>`. @throws ProblemError device-key-refused */
export function readDeviceKey(authorization: string | undefined): { deviceId: DeviceId; secret: string } {
  const match = /^Bearer cdk\.(\d{1,9})\.([\w-]{20,100})$/.exec(authorization ?? '')
  if (!match) throw new ProblemError('device-key-refused')
  return { deviceId: Number(match[1]), secret: match[2]! }
}

/** The optional collectors that can be handed out, with the digests of their programs. */
export type CollectorDigests = ReadonlyMap<OptionalCollector, string>

export function settingsOf(context: Pick<DeviceContext, 'interval' | 'name' | 'clientName' | 'siteName' | 'collecting'>, digests: CollectorDigests = new Map()): AgentSettings {
  const { interval, name, clientName, siteName, collecting } = context
  const collectors = collecting.collectors.flatMap((one) => {
    const digest = digests.get(one)
    return digest === undefined ? [] : [{ name: one, digest }]
  })
  return { interval, deviceName: name, clientName, siteName, collect: { logs: collecting.logs, collectors } }
}

export class Engine {
  readonly #cache = new ContextCache()

  constructor(private readonly pool: Pool, private readonly onReport: (deviceId: number, clientId: number) => void = () => undefined, private readonly digests: CollectorDigests = new Map()) {}

  /** What a device is told about itself; also how an agent finds out whether its key is taken. */
  async self(authorization: string | undefined): Promise<AgentSettings> {
    return settingsOf(await this.#contextOf(authorization), this.digests)
  }

  /** The device that a key speaks for. @throws ProblemError device-key-refused */
  async deviceOf(authorization: string | undefined): Promise<DeviceId> {
    return (await this.#contextOf(authorization)).traits.id
  }

  async #contextOf(authorization: string | undefined): Promise<DeviceContext> {
    const { deviceId, secret } = readDeviceKey(authorization)
    const context = await loadContext(this.pool, deviceId)
    if (!context || !timingSafeEqual(context.keyDigest, digest(secret))) throw new ProblemError('device-key-refused')
    return context
  }

  /** From a batch as it came to a receipt: what is acknowledged is on disk. */
  async take(authorization: string | undefined, body: unknown, now: Millis): Promise<ReportReceipt> {
    const { deviceId, secret } = readDeviceKey(authorization)
    const keyDigest = digest(secret)
    const envelope = checkEnvelope(body)
    for (let attempt = 0; attempt < 6; attempt++) {
      const cached = attempt === 0 ? this.#cache.get(deviceId) : undefined
      const context = cached ?? (await loadContext(this.pool, deviceId))
      const known = context !== null && timingSafeEqual(context.keyDigest, keyDigest)
      if (!known) {
        // What is cached may be from before the device was enrolled anew; what was just read is the truth.
        if (cached) continue
        throw new ProblemError('device-key-refused')
      }
      const batch = checkBatch(envelope, now, context.clockOffset)
      let plan
      try {
        plan = planBatch(context, batch)
      } catch (error) {
        if (cached) continue
        throw error
      }
      if (!(await commitPlan(this.pool, context, plan, now))) {
        this.#cache.drop(deviceId)
        continue
      }
      const last = plan.stored.at(-1)
      this.#cache.put({
        ...context,
        lastSeq: plan.lastSeq,
        lastAt: plan.lastAt,
        heardAt: now,
        reportedInterval: last?.interval ?? context.reportedInterval,
        clockOffset: plan.clockOffset,
        failed: last?.failed ?? context.failed,
        facts: plan.facts,
        traits: traitsAfter(context, plan),
        state: plan.state,
      })
      this.onReport(deviceId, context.traits.clientId)
      return { acknowledged: plan.lastSeq, refused: batch.refused, clockOffset: plan.clockOffset, settings: settingsOf(context, this.digests) }
    }
    throw new ProblemError('busy')
  }
}
