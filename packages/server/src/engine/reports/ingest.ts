import { timingSafeEqual } from 'node:crypto'
import type { AgentSelf, ChangeAnswer, Refusal, RefusedBrief, Report, ReportBatch, ReportReceipt } from '#contract'
import { hour, type DeviceId, type Millis } from '#core'
import { inTransaction, refusedByDatabase, rows, type Pool } from '../../db'
import { digest } from '../../secrets/secret'
import { ProblemError } from '../../http/problems'
import { ChangeWaiters, type Line } from './changeWaiters'
import { checkBatch, checkEnvelope, type CheckedBatch, type RefusedPart } from './checkBatch'
import { commitPlan, traitsAfter } from './commit'
import { ContextLoads } from './contextLoads'
import { claimOf, noteClaim, type Claimant } from './identity'
import { planBatch } from './plan'
import { reevaluate } from '../reevaluate'
import { rosterMark, settingsOf, type CollectorDigests } from './settings'
import type { DeviceContext } from '../types'

const kept = 20_000
/** A day is summed up some time after it is over. */
const pastCountsFor: Millis = hour

/**
 * Contexts of the devices that report here, the least recently used given up first. Only a shortcut: see commitPlan.
 */
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

export class Engine {
  readonly #cache = new ContextCache()
  readonly #loads: ContextLoads
  readonly waiters: ChangeWaiters

  constructor(
    private readonly pool: Pool,
    private readonly onReport: (deviceId: number, clientId: number) => void = () => undefined,
    private readonly digests: CollectorDigests = new Map(),
    private readonly onBroken: (fault: { deviceId: DeviceId; watch: string; reason: string }) => void = () => undefined,
    /** The version of the agent that new machines get. */
    private readonly offered: () => string | null = () => null,
  ) {
    this.#loads = new ContextLoads(pool)
    this.waiters = new ChangeWaiters(pool)
  }

  /** What a device is told about itself; also how an agent finds out whether its key is taken. */
  async self(authorization: string | undefined): Promise<AgentSelf> {
    const context = await this.#contextOf(authorization)
    const { id } = context.traits
    const refused = await rows<RefusedBrief & { total: number }>(
      this.pool,
      `
      select r.received_at as at, r.detail, d.refused_count as total from refused_report r
      join device d on d.id = r.device_id where r.device_id = $1 order by r.id desc limit 3`,
      [id],
    )
    return {
      ...settingsOf(context, this.digests),
      lastSeq: context.lastSeq,
      refusedCount: refused[0]?.total ?? 0,
      refused: refused.map(({ at, detail }) => ({ at, detail })),
    }
  }

  /** The device that a key speaks for. @throws ProblemError device-key-refused */
  async deviceOf(authorization: string | undefined): Promise<DeviceId> {
    return (await this.#contextOf(authorization)).traits.id
  }

  async #contextOf(authorization: string | undefined): Promise<DeviceContext> {
    const { deviceId, secret } = readDeviceKey(authorization)
    const context = await this.#loads.load(deviceId)
    if (!context || !timingSafeEqual(context.keyDigest, digest(secret))) throw new ProblemError('device-key-refused')
    // Whoever waits next must not wait by an older version: it would be woken at once, again and again.
    this.#cache.put(context)
    return context
  }

  /**
   * Answers when there is something to tell an agent: another roster than the one it works by, or work; else after a
   * while.
   * @param hasWork whether a task is waiting for the device
   */
  async awaitChange(
    authorization: string | undefined,
    roster: string,
    hasWork: (id: DeviceId) => boolean,
    line: Line,
  ): Promise<ChangeAnswer> {
    // A copy will do: should the device have changed, the look at all that wait sees it by its version.
    let context = this.#cachedFor(authorization)
    if (!context || rosterMark(context.roster) !== roster) context = await this.#contextOf(authorization)
    const { id, clientId } = context.traits
    await this.#noteRoster(context, null, roster)
    if (rosterMark(context.roster) === roster && !hasWork(id)) {
      let isGone = false
      line.onGone(() => {
        isGone = true
      })
      const changed = await this.waiters.wait(id, context.version, line)
      if (isGone) return { settings: settingsOf(context, this.digests), work: false }
      if (changed) context = await this.#contextOf(authorization)
    }
    const settings = settingsOf(context, this.digests)
    await this.#noteRoster(context, settings.roster, null)
    if (settings.roster !== roster) this.onReport(id, clientId)
    return { settings, work: hasWork(id) }
  }

  /** What is cached of a device, unless what is known of its past was read too long ago. */
  #fresh(id: DeviceId, now: Millis): DeviceContext | undefined {
    const cached = this.#cache.get(id)
    const past = cached?.days ?? cached?.usual
    return past && Math.abs(now - past.readAt) > pastCountsFor ? undefined : cached
  }

  #cachedFor(authorization: string | undefined): DeviceContext | null {
    const { deviceId, secret } = readDeviceKey(authorization)
    const cached = this.#cache.get(deviceId)
    return cached && timingSafeEqual(cached.keyDigest, digest(secret)) ? cached : null
  }

  /** Remembers, where it is news, what roster the agent was told and what it said that it works by. */
  async #noteRoster(context: DeviceContext, sent: string | null, confirmed: string | null): Promise<void> {
    const newlySent = sent !== null && sent !== context.rosterSent ? sent : null
    const newlyConfirmed =
      confirmed !== null && confirmed !== context.rosterConfirmed && confirmed === rosterMark(context.roster)
        ? confirmed
        : null
    if (newlySent === null && newlyConfirmed === null) return
    await this.pool.query(
      `
      update device set roster_sent = coalesce($2, roster_sent), roster_sent_at = case when $2::text is null
      then roster_sent_at else now() end,
        roster_confirmed = coalesce($3, roster_confirmed), roster_confirmed_at = case when $3::text is null
        then roster_confirmed_at else now() end
      where id = $1`,
      [context.traits.id, newlySent, newlyConfirmed],
    )
    if (newlySent !== null) context.rosterSent = newlySent
    if (newlyConfirmed !== null) {
      context.rosterConfirmed = newlyConfirmed
      this.onReport(context.traits.id, context.traits.clientId)
    }
  }

  /**
   * From a batch as it came to a receipt: what is acknowledged is on disk. Where PostgreSQL refuses something of it,
   * the reports are stored one by one, so that the one at fault costs only itself; it is kept beside them, with the
   * reason. A batch that comes twice changes nothing the second time.
   * @param authorization the header, `Bearer <device>.<secret>`
   * @param body a ReportBatch, unchecked
   * @param now of the server, in milliseconds since 1970
   * @throws ProblemError device-key-refused; wrong-version or invalid for the envelope; out-of-order when reports
   * before these are missing; identity-shared or counted-by-another when another machine speaks as this device; busy
   * when its other connection is at it. What is wrong within a report is no error, but stands in the receipt as refused
   */
  async take(authorization: string | undefined, body: unknown, now: Millis): Promise<ReportReceipt> {
    const { deviceId, secret } = readDeviceKey(authorization)
    const keyDigest = digest(secret)
    const envelope = checkEnvelope(body)
    const take = (batch: ReportBatch, refusal?: string) => this.#takeBatch(deviceId, keyDigest, batch, now, refusal)
    try {
      return await take(envelope)
    } catch (error) {
      if (refusedByDatabase(error) === null) throw error
    }
    const refused: Refusal[] = []
    let receipt: ReportReceipt | null = null
    for (const [i, report] of inOrder(envelope.reports).entries()) {
      const alone: ReportBatch = { ...envelope, ...(i > 0 ? { oldest: report.seq } : {}), reports: [report] }
      try {
        receipt = await take(alone)
      } catch (error) {
        const words = refusedByDatabase(error)
        if (words === null) throw error
        receipt = await take(alone, `The database does not take it: ${words}`)
      }
      refused.push(...receipt.refused)
    }
    return { ...receipt!, refused }
  }

  /** @param refusal why none of it is to be kept: it is put aside whole */
  async #takeBatch(
    deviceId: DeviceId,
    keyDigest: Buffer,
    envelope: ReportBatch,
    now: Millis,
    refusal?: string,
  ): Promise<ReportReceipt> {
    let before: DeviceContext | null = null
    for (let attempt = 0; attempt < 6; attempt++) {
      const cached = attempt === 0 ? this.#fresh(deviceId, now) : undefined
      const context = cached ?? (await this.#loads.load(deviceId))
      if (before && context && (await this.#followPolicy(before, context, now))) {
        before = null
        continue
      }
      const known = context !== null && timingSafeEqual(context.keyDigest, keyDigest)
      if (!known) {
        // What is cached may be from before the device was enrolled anew; what was just read is the truth.
        if (cached) continue
        throw new ProblemError('device-key-refused')
      }
      const batch = refuseAllOf(checkBatch(envelope, now, context.clockOffset), refusal)
      let plan
      try {
        const claimant: Claimant = {
          instance: envelope.instance,
          machine: envelope.machine,
          firstSeq: batch.reports[0]?.seq ?? Infinity,
          madeAt: newestOf(batch),
        }
        const isAsBefore = claimOf(context.identity, claimant.instance, claimant.madeAt) === 'same'
        // A claim is judged, and noted, by what is true now.
        if (cached && !isAsBefore) continue
        if (await noteClaim(this.pool, context, claimant, now)) {
          this.#cache.drop(deviceId)
          continue
        }
        plan = planBatch(context, batch, now, this.offered())
      } catch (error) {
        if (cached) continue
        throw error
      }
      if (!(await commitPlan(this.pool, context, plan, now))) {
        this.#cache.drop(deviceId)
        before = context
        continue
      }
      for (const [watch, reason] of plan.broken) this.onBroken({ deviceId, watch, reason })
      const last = plan.stored.at(-1)
      const next: DeviceContext = {
        ...context,
        lastSeq: plan.lastSeq,
        lastAt: plan.lastAt,
        firstAt: plan.firstAt,
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
      return {
        acknowledged: plan.lastSeq,
        refused: batch.refused.map(({ body: _kept, ...refusal }) => refusal),
        clockOffset: plan.clockOffset,
        settings,
      }
    }
    throw new ProblemError('busy')
  }

  /**
   * A change of policy looks again at the devices that it reaches. One that came in, or told of itself, at the same
   * moment may have been missed: what it was evaluated by until now is not what it gets, and nobody has looked.
   */
  async #followPolicy(before: DeviceContext, context: DeviceContext, now: Millis): Promise<boolean> {
    if (
      before.version !== context.version ||
      before.policyVersion === context.policyVersion ||
      rosterMark(before.roster) === rosterMark(context.roster)
    )
      return false
    await inTransaction(this.pool, (tx) => reevaluate(tx, context.traits.id, now))
    return true
  }
}

function inOrder(reports: readonly Report[]): Report[] {
  const seqOf = (report: unknown) => Number((report as { seq?: unknown } | null)?.seq) || 0
  return [...reports].sort((a, b) => seqOf(a) - seqOf(b))
}

function newestOf(batch: CheckedBatch): Millis {
  return Math.max(0, ...batch.reports.map((report) => ('refused' in report ? 0 : report.at)))
}

function refuseAllOf(batch: CheckedBatch, refusal: string | undefined): CheckedBatch {
  if (refusal === undefined) return batch
  const refused = batch.reports.flatMap((report): RefusedPart[] =>
    'refused' in report
      ? []
      : [{ seq: report.seq, pointer: '/reports/0', code: 'not-kept', detail: refusal, body: report.raw }],
  )
  return {
    ...batch,
    reports: batch.reports.map(({ seq }) => ({ seq, refused: true as const })),
    refused: [...batch.refused, ...refused],
  }
}
