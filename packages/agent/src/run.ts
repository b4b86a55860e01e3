import { createHash } from 'node:crypto'
import { setTimeout as wait } from 'node:timers/promises'
import { protocolVersion, type AgentSettings, type CollectorFailure, type Report, type ReportReceipt, type SignedTask } from '#contract/report'
import type { Collector, Facts, FactSubject, LogEvent, Millis, Reading } from '#core'
import { attend } from './attend'
import { allCollectors, OptionalCollectors, systemFacts, type Collect, type Collected } from './collectors'
import { Orders } from './orders'
import { readIdentity, writeIdentity, type Identity } from './identity'
import { Spool } from './spool'
import { Turns } from './pace'
import { Proof } from './update'
import { call, Refused } from './uplink'

const batchSize = 60

/** Runs every collector; one that fails is named with its reason, and costs only its own part. */
export async function observe(collectors: readonly Collect[], now: Millis, takesOrders = false, optional: readonly string[] = [], looksOnly = false): Promise<{ readings: Reading[]; facts: Facts; events: LogEvent[]; failed: CollectorFailure[] }> {
  const readings: Reading[] = []
  const events: LogEvent[] = []
  const failed: CollectorFailure[] = []
  let facts: Facts = { system: systemFacts(takesOrders, optional, looksOnly) }
  for (const collector of collectors) {
    try {
      const part = await collector.collect(now)
      readings.push(...(part.readings ?? []))
      events.push(...(part.events ?? []))
      facts = { ...facts, ...part.facts }
    } catch (error) {
      failed.push({ collector: collector.name, reason: (error as Error).message.slice(0, 500) })
    }
  }
  return { readings, facts, events, failed }
}

/** Gathers while the others go on; until it is done, and while it is at it anew, what it gave last stands. */
export function inBackground(collector: Collect): Collect {
  let busy = false
  let last: () => Collected = () => ({})
  return {
    name: collector.name,
    collect(now) {
      if (!busy) {
        busy = true
        void Promise.resolve().then(() => collector.collect(now))
          .then((part) => { last = () => part }, (error: unknown) => { last = () => { throw error } })
          .finally(() => { busy = false })
      }
      return last()
    },
  }
}

/** Leaves out what was told before and has not changed. */
export function onlyChanged(facts: Facts, told: Map<FactSubject, string>): Facts {
  const changed: Facts = {}
  for (const [subject, value] of Object.entries(facts) as [FactSubject, never][]) {
    const digest = createHash('sha256').update(JSON.stringify(value)).digest('base64')
    if (told.get(subject) === digest) continue
    told.set(subject, digest)
    changed[subject] = value
  }
  return changed
}

/** Sends what waits, oldest first. A batch that is refused is sent report by report, and the culprit put aside. */
export async function sendAll(spool: Spool, identity: Identity): Promise<ReportReceipt | null> {
  let receipt: ReportReceipt | null = null
  const tasks: SignedTask[] = []
  let size = batchSize
  for (;;) {
    const waiting = spool.waiting()
    const reports = waiting.slice(0, size).map((seq) => spool.read(seq)).filter((one): one is Report => one !== null)
    if (!reports.length) return receipt
    try {
      const answer = await call<ReportReceipt>(identity.server, 'POST', '/api/agent/reports', { version: protocolVersion, sentAt: Date.now(), oldest: waiting[0], reports }, identity.deviceKey)
      tasks.push(...(answer.body.tasks ?? []))
      receipt = { ...answer.body, tasks }
      spool.drop(receipt.acknowledged)
    } catch (error) {
      if (!(error instanceof Refused) || ![400, 413].includes(error.status)) throw error
      if (size === 1) spool.putAside(reports[0]!.seq)
      size = size === 1 ? batchSize : 1
    }
  }
}

/** @returns whether it is to be started anew, as another version */
export async function run(home: string, refresh: boolean, say: (text: string) => void): Promise<'stopped' | 'start anew'> {
  const identity = readIdentity(home)
  if (!identity) throw new Error(`This machine is not enrolled (no identity in ${home}). Run: custode-agent enroll --server URL --key KEY`)
  // Apt takes its time; the first report does not wait for it.
  const collectors = allCollectors(home, refresh, () => identity.collect?.logs ?? []).map((one) => (one.name === 'updates' ? inBackground(one) : one))
  const spool = new Spool(home)
  const told = new Map<FactSubject, string>()
  const optional = new OptionalCollectors(home, identity)
  const apply = async ({ interval, collect = identity.collect ?? { logs: [], collectors: [] }, every = {}, roster = '' }: AgentSettings): Promise<void> => {
    await optional.follow(collect.collectors)
    const told = { interval, collect, every, roster }
    if (Object.entries(told).every(([name, value]) => JSON.stringify(value) === JSON.stringify(identity[name as keyof typeof told]))) return
    Object.assign(identity, told)
    writeIdentity(home, identity)
  }
  let following: Promise<void> = Promise.resolve()
  /** What the receipt of a report says and what came while waiting, one after the other. */
  const follow = (settings: AgentSettings): Promise<void> => {
    const applied = following.then(() => apply(settings))
    following = applied.catch(() => undefined)
    return applied
  }
  const turns = new Turns()
  const stop = new AbortController()
  let anew = false
  let wake = new AbortController()
  /** Asked for while a report was being made: the next one follows at once. */
  let soon = false
  const reportSoon = () => {
    soon = true
    wake.abort()
  }
  const orders = new Orders(home, identity, say, () => {
    anew = true
    stop.abort()
  }, () => {
    turns.forget('services')
    reportSoon()
  })
  const proof = new Proof(home, identity, say)
  process.on('SIGTERM', () => stop.abort())
  process.on('SIGINT', () => stop.abort())
  let trouble = ''
  let next = Date.now()
  void attend(identity, async (settings) => {
    const before = Turns.tick(identity)
    await follow(settings)
    // What is to be read sooner than it was does not wait for the old time to pass.
    if (Turns.tick(identity) < before) reportSoon()
  }, reportSoon, stop.signal)
  // Rates need a first look; the report of it would be half empty.
  await observe(collectors.filter((one) => one.name === 'performance' || one.name === 'network'), Date.now())
  await wait(1000, undefined, { signal: stop.signal }).catch(() => undefined)
  while (!stop.signal.aborted) {
    const now = Date.now()
    soon = false
    const rested: Collector[] = []
    const due = [...collectors, ...optional.collectors].filter((one) => {
      if (turns.take(one.name, now, identity)) return true
      rested.push(one.name)
      return false
    })
    const { readings, facts, events, failed } = await observe(due, now, identity.serverKey !== undefined, optional.names, identity.looksOnly)
    failed.push(...optional.troubles)
    const changed = onlyChanged(facts, told)
    spool.add({
      at: now, interval: identity.interval, readings: readings.map(([...one]) => one),
      ...(Object.keys(changed).length ? { facts: changed } : {}), ...(events.length ? { events } : {}), ...(failed.length ? { failed } : {}),
      ...(rested.length ? { rested } : {}), ...(identity.roster ? { roster: identity.roster } : {}),
    })
    spool.giveUpOld(now)
    try {
      const receipt = await sendAll(spool, identity)
      if (trouble) say('the server takes reports again')
      trouble = ''
      for (const task of receipt?.tasks ?? []) orders.take(task)
      if (receipt) {
        await proof.reported()
        await follow(receipt.settings)
      }
    } catch (error) {
      const reason = (error as Error).message
      if (reason !== trouble) say(`not sent, kept for later: ${reason}`)
      trouble = reason
    }
    // Steady by the clock, whatever the collecting took; after a pause of the machine it begins anew.
    const tick = Turns.tick(identity)
    next = Math.max(next + tick, Date.now() + Math.min(1000, tick))
    wake = new AbortController()
    if (!soon) await wait(next - Date.now(), undefined, { signal: AbortSignal.any([stop.signal, wake.signal]) }).catch(() => undefined)
    if (soon) next = Date.now()
  }
  return anew ? 'start anew' : 'stopped'
}
