import { timingSafeEqual } from 'node:crypto'
import type { AgentSettings, Attended, ReportReceipt } from '#contract'
import { second, type DeviceId, type Millis } from '#core'
import type { Pool } from '../db'
import { digest } from '../features/access/secret'
import { ProblemError } from '../http/problems'
import { Attendance } from './attendance'
import { checkBatch, checkEnvelope } from './checkBatch'
import { commitPlan, traitsAfter } from './commit'
import { loadContext } from './context'
import { planBatch } from './plan'
import { rosterMark, settingsOf, type CollectorDigests } from './settings'
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

/** How long an agent is left waiting before it is answered that nothing changed. */
const attendFor = 20 * second

export class Engine {
  readonly #cache = new ContextCache()
  readonly attendance: Attendance

  constructor(private readonly pool: Pool, private readonly onReport: (deviceId: number, clientId: number) => void = () => undefined, private readonly digests: CollectorDigests = new Map()) {
    this.attendance = new Attendance(pool)
  }

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

  /**
   * Answers when there is something to tell an agent: another roster than the one it works by, or work; else after a while.
   * @param hasWork whether an order is waiting for the device
   */
  async attend(authorization: string | undefined, roster: string, hasWork: (id: DeviceId) => boolean, gone: AbortSignal): Promise<Attended> {
    // A copy will do: should the device have changed, the look at all that wait sees it by its version.
    let context = this.#cachedFor(authorization)
    if (!context || rosterMark(context.roster) !== roster) context = await this.#contextOf(authorization)
    const { id, clientId } = context.traits
    await this.#noteRoster(context, null, roster)
    if (rosterMark(context.roster) === roster && !hasWork(id)) {
      const changed = await this.attendance.wait(id, context.version, attendFor, gone)
      if (gone.aborted) return { settings: settingsOf(context, this.digests), work: false }
      if (changed) context = await this.#contextOf(authorization)
    }
    const settings = settingsOf(context, this.digests)
    await this.#noteRoster(context, settings.roster, null)
    if (settings.roster !== roster) this.onReport(id, clientId)
    return { settings, work: hasWork(id) }
  }

  #cachedFor(authorization: string | undefined): DeviceContext | null {
    const { deviceId, secret } = readDeviceKey(authorization)
    const cached = this.#cache.get(deviceId)
    return cached && timingSafeEqual(cached.keyDigest, digest(secret)) ? cached : null
  }

  /** Remembers, where it is news, what roster the agent was told and what it said that it works by. */
  async #noteRoster(context: DeviceContext, sent: string | null, confirmed: string | null): Promise<void> {
    const newlySent = sent !== null && sent !== context.rosterSent ? sent : null
    const newlyConfirmed = confirmed !== null && confirmed !== context.rosterConfirmed && confirmed === rosterMark(context.roster) ? confirmed : null
    if (newlySent === null && newlyConfirmed === null) return
    await this.pool.query(`
      update device set roster_sent = coalesce($2, roster_sent), roster_sent_at = case when $2::text is null then roster_sent_at else now() end,
        roster_confirmed = coalesce($3, roster_confirmed), roster_confirmed_at = case when $3::text is null then roster_confirmed_at else now() end
      where id = $1`, [context.traits.id, newlySent, newlyConfirmed])
    if (newlySent !== null) context.rosterSent = newlySent
    if (newlyConfirmed !== null) {
      context.rosterConfirmed = newlyConfirmed
      this.onReport(context.traits.id, context.traits.clientId)
    }
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
      const next: DeviceContext = {
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
      }
      const settings = settingsOf(next, this.digests)
      await this.#noteRoster(next, settings.roster, last?.roster ?? null)
      this.#cache.put(next)
      this.onReport(deviceId, context.traits.clientId)
      return { acknowledged: plan.lastSeq, refused: batch.refused, clockOffset: plan.clockOffset, settings }
    }
    throw new ProblemError('busy')
  }
}
