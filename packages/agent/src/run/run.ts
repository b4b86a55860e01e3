import { setTimeout as wait } from 'node:timers/promises'
import type { AgentSettings } from '#contract/report'
import type { Collector, Millis } from '#core'
import { awaitChange } from '../uplink/longPoll'
import { sinceStart, steady } from '../clock'
import { allCollectors, OptionalCollectors, systemFacts } from '../collectors'
import { repairIdentity, writeIdentity, type Identity } from '../identity/identity'
import { Tasks } from '../tasks/tasks'
import { Rights } from '../tasks/service'
import { Prober, probesCollector, Telling } from '../probes'
import { mayOnlyLook } from '../updates/starter'
import { Proof } from '../updates/update'
import { inBackground, observe, Observer } from './observe'
import { Turns } from './pace'
import { Sender } from './sending'
import { Spool } from './spool'
import { Told } from './told'
import { endOnWhatNobodyHandles, Watchdog } from './watchdog'

/**
 * Follows what the server says, one word after the other; what cannot be written down counts all the same, until the
 * next start.
 */
class Settings {
  #following: Promise<void> = Promise.resolve()

  constructor(
    private readonly home: string,
    private readonly identity: Identity,
    private readonly optional: OptionalCollectors,
    private readonly say: (text: string) => void,
  ) {}

  follow(settings: AgentSettings): Promise<void> {
    const applied = this.#following.then(() => this.#apply(settings))
    this.#following = applied.catch(() => undefined)
    return applied
  }

  async #apply({
    interval,
    collect = this.identity.collect ?? { logs: [], collectors: [] },
    every = {},
    roster = '',
  }: AgentSettings): Promise<void> {
    await this.optional.follow(collect.collectors)
    const said = { interval, collect, every, roster }
    if (
      Object.entries(said).every(
        ([name, value]) => JSON.stringify(value) === JSON.stringify(this.identity[name as keyof typeof said]),
      )
    )
      return
    Object.assign(this.identity, said)
    try {
      writeIdentity(this.home, this.identity)
    } catch (error) {
      this.say(`settings were not written: ${(error as Error).message}`)
    }
  }
}

/** A report waits so long for collectors that take their time, at the least and at the most. */
const shortestWait: Millis = 500
const longestWait: Millis = 15_000

/** Apt takes its time, and so do drives: no report waits for them. */
const inBackgroundOnly: ReadonlySet<Collector> = new Set(['updates', 'drives'])

/** Those that tell what was between two looks. */
const rated: ReadonlySet<Collector> = new Set(['performance', 'network', 'processes'])

/** One run of the agent: it observes, keeps and sends, turn by turn, until it is stopped or to be started anew. */
class Run {
  readonly #spool: Spool
  readonly #sender: Sender
  readonly #told = new Told()
  readonly #observer = new Observer()
  readonly #turns = new Turns()
  readonly #rights = new Rights()
  readonly #optional: OptionalCollectors
  readonly #settings: Settings
  readonly #proof: Proof
  readonly #commands: Tasks
  readonly #collectors: ReturnType<typeof allCollectors>
  readonly #prober: Prober
  readonly #telling: Telling
  readonly #stop = new AbortController()
  #wake = new AbortController()
  /** Asked for while a report was being made: the next one follows at once. */
  #soon = false
  #anew = false
  #trouble = ''

  constructor(
    home: string,
    private readonly identity: Identity,
    refresh: boolean,
    private readonly say: (text: string) => void,
  ) {
    this.#spool = new Spool(home)
    this.#sender = new Sender(this.#spool, identity, say)
    this.#prober = new Prober((isUrgent) => {
      this.#telling.soon(isUrgent)
    })
    this.#telling = new Telling(identity, this.#prober, say)
    this.#collectors = [
      ...allCollectors(home, refresh, () => identity.collect ?? { logs: [] }, this.#spool.places),
      probesCollector(this.#prober),
    ].map((collector) => (inBackgroundOnly.has(collector.name) ? inBackground(collector) : collector))
    this.#optional = new OptionalCollectors(home, identity)
    this.#settings = new Settings(home, identity, this.#optional, say)
    this.#proof = new Proof(home, identity, say)
    this.#commands = new Tasks(
      home,
      identity,
      say,
      () => {
        this.#anew = true
        this.#stop.abort()
      },
      () => {
        this.#turns.forget('services')
        this.#rights.forget()
        this.#reportSoon()
      },
      () => {
        this.#turns.forgetAll()
        this.#told.forget()
        this.#reportSoon()
      },
    )
  }

  stop(): void {
    this.#stop.abort()
  }

  #reportSoon(): void {
    this.#soon = true
    this.#wake.abort()
  }

  async #awaitChange(): Promise<void> {
    await awaitChange(
      this.identity,
      async (settings) => {
        const before = Turns.tick(this.identity)
        await this.#follow(settings)
        // What is to be read sooner than it was does not wait for the old time to pass.
        if (Turns.tick(this.identity) < before) this.#reportSoon()
      },
      () => this.#reportSoon(),
      this.#stop.signal,
    )
  }

  /** What is there now, as a report in the spool. */
  async #report(): Promise<void> {
    const { identity } = this
    const rested: Collector[] = []
    const at = steady()
    const due = [...this.#collectors, ...this.#optional.collectors].filter((collector) => {
      if (this.#turns.take(collector.name, at, identity)) return true
      rested.push(collector.name)
      return false
    })
    const now = Date.now()
    const { readings, facts, events, leftOut, top, failed, places, busy, answered } = await this.#observer.observe(
      due,
      now,
      Math.min(longestWait, Math.max(shortestWait, Turns.tick(identity) / 4)),
    )
    // One whose turn it was not may have ended what it was at; one whose turn it was may still be at it.
    const silent = [...rested.filter((name) => !answered.has(name)), ...busy.filter((name) => !rested.includes(name))]
    failed.push(...this.#optional.troubles)
    const system = systemFacts(
      identity.serverKey !== undefined,
      this.#optional.names,
      !mayOnlyLook(identity) && (await this.#rights.remediates()),
    )
    const changed = this.#told.changed({ system, ...facts }, steady())
    const { seq } = this.#spool.add(
      {
        at: now,
        interval: identity.interval,
        readings: readings.map(([...reading]) => reading),
        ...sinceStart(),
        ...(Object.keys(changed).length ? { facts: changed } : {}),
        ...(events.length ? { events } : {}),
        ...(leftOut ? { leftOut } : {}),
        ...(top ? { top } : {}),
        ...(failed.length ? { failed } : {}),
        ...(silent.length ? { rested: silent } : {}),
        ...(identity.roster ? { roster: identity.roster } : {}),
      },
      places,
    )
    this.#told.send(seq, changed)
    this.#spool.giveUpOld(now, sinceStart())
    if (this.#spool.takeLost()) this.#told.forget()
  }

  async #send(): Promise<void> {
    // Also when the rest has to wait: what was refused before that is refused.
    const receipt = await this.#sender.sendAll().finally(() => {
      if (this.#sender.takeRefusals()) this.#told.forget()
    })
    if (this.#trouble) this.say('the server takes reports again')
    this.#trouble = ''
    if (!receipt) return
    this.#told.acknowledged(receipt.acknowledged)
    for (const task of receipt.tasks ?? []) this.#commands.take(task, Date.now() - receipt.clockOffset)
    await this.#proof.reported()
    await this.#follow(receipt.settings)
  }

  async #follow(settings: AgentSettings): Promise<void> {
    await this.#settings.follow(settings)
    this.#prober.follow(this.identity.collect?.probes ?? [])
  }

  /** @returns the time from this turn to the next */
  async #turn(): Promise<Millis> {
    this.#soon = false
    try {
      await this.#report()
      await this.#send()
    } catch (error) {
      const reason = (error as Error).message
      if (reason !== this.#trouble) this.say(`not sent, kept for later: ${reason}`)
      this.#trouble = reason
    }
    return Turns.tick(this.identity)
  }

  async loop(watchdog: Watchdog): Promise<'stopped' | 'start anew'> {
    this.#prober.follow(this.identity.collect?.probes ?? [])
    // Whoever waits for the server handles what goes wrong there; anything else ends the program.
    void this.#awaitChange()
    // Rates need a first look; the report of it would be half empty.
    await observe(
      this.#collectors.filter(({ name }) => rated.has(name)),
      Date.now(),
    )
    await wait(1000, undefined, { signal: this.#stop.signal }).catch(() => undefined)
    let next = steady()
    while (!this.#stop.signal.aborted) {
      const tick = await this.#turn()
      watchdog.turned(tick)
      // Steady, whatever the collecting took; after a pause of the machine it begins anew.
      next = Math.max(next + tick, steady() + Math.min(1000, tick))
      this.#wake = new AbortController()
      if (!this.#soon)
        await wait(next - steady(), undefined, {
          signal: AbortSignal.any([this.#stop.signal, this.#wake.signal]),
        }).catch(() => undefined)
      if (this.#soon) next = steady()
    }
    this.#prober.stop()
    this.#telling.stop()
    return this.#anew ? 'start anew' : 'stopped'
  }
}

/** @returns whether it is to be started anew, as another version */
export async function run(
  home: string,
  refresh: boolean,
  say: (text: string) => void,
): Promise<'stopped' | 'start anew'> {
  const identity = repairIdentity(home)
  if (!identity)
    throw new Error(
      `This machine is not enrolled: no identity can be read in ${home}. Run: custode-agent enroll --server URL --key KEY`,
    )
  endOnWhatNobodyHandles(say)
  const watchdog = new Watchdog(say)
  const agent = new Run(home, identity, refresh, say)
  process.on('SIGTERM', () => agent.stop())
  process.on('SIGINT', () => agent.stop())
  try {
    return await agent.loop(watchdog)
  } finally {
    watchdog.stop()
  }
}
