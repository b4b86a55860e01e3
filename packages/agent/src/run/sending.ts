import {
  protocolVersion,
  type AgentSelf,
  type Refusal,
  type Report,
  type ReportReceipt,
  type SignedText,
} from '#contract/report'
import type { Identity } from '../identity/identity'
import { instance, machineMark, sinceStart, steady } from '../clock'
import { call, RefusedError } from '../uplink'
import type { Spool } from './spool'

/** A batch has no more reports than these, and no more characters, unless one report alone is longer. */
const batchSize = 60
const batchCharacters = 1_000_000
/** A report that the server fails at so often, in rounds of their own, is passed by when the one behind it is taken. */
const failuresBeforeAside = 3

/** Reports from the front of what waits, as many as go into one batch. */
function nextBatch(spool: Spool, most: number): Report[] {
  const reports: Report[] = []
  let characters = 0
  for (const seq of spool.waiting()) {
    if (reports.length >= most) break
    const report = spool.read(seq)
    if (!report) continue
    const size = JSON.stringify(report).length
    if (reports.length && characters + size > batchCharacters) break
    characters += size
    reports.push(report)
  }
  return reports
}

const isFault = ({ status, code }: RefusedError) =>
  status >= 400 &&
  status < 500 &&
  ![401, 403, 404, 407, 408, 429].includes(status) &&
  !['identity-shared', 'counted-by-another', 'device-key-refused'].includes(code)
/** Of a report only; a part that is refused would be refused again, whenever it is told. */
const isWholeReport = ({ pointer }: Refusal) => /^\/reports\/\d+$/.test(pointer)
const isServersFault = ({ status }: RefusedError) => status === 500

/**
 * Sends what waits, oldest first; what the server can never take is put aside, so that it does not stop what stands
 * behind it.
 */
export class Sender {
  #resumed = false
  #failures = new Map<number, number>()
  #hasRefusals = false
  /** The server has asked to be left alone until then, by the steady clock. */
  #pause: { until: number; by: RefusedError } | null = null

  constructor(
    private readonly spool: Spool,
    private readonly identity: Identity,
    private readonly say: (text: string) => void = () => undefined,
  ) {}

  async #post(reports: readonly Report[]): Promise<ReportReceipt> {
    const machine = machineMark()
    const { body } = await call<ReportReceipt>(
      this.identity,
      'POST',
      '/api/agent/reports',
      {
        version: protocolVersion,
        sentAt: Date.now(),
        oldest: reports[0]!.seq,
        reports,
        instance,
        ...(machine ? { machine } : {}),
        ...sinceStart(),
      },
      this.identity.deviceKey,
    )
    return body
  }

  /**
   * Asks once what the server has seen. One that knows of numbers which this machine never gave has heard its double:
   * this is a restored snapshot or a clone, and it counts on from there.
   */
  async #resume(): Promise<void> {
    if (this.#resumed) return
    try {
      const { body } = await call<Partial<AgentSelf>>(
        this.identity,
        'GET',
        '/api/agent/self',
        undefined,
        this.identity.deviceKey,
      )
      if (typeof body.lastSeq === 'number' && body.lastSeq > this.spool.last) {
        this.say(
          `the server has seen report ${body.lastSeq}, and this machine has made ${this.spool.last}: it was set back, and goes on from there`,
        )
        this.spool.jumpTo(body.lastSeq)
      }
      this.#resumed = true
    } catch (error) {
      // A server from before there was anything to ask.
      if (!(error instanceof RefusedError) || error.status !== 404) throw error
      this.#resumed = true
    }
  }

  /** Another machine has reported as this one, and used numbers that this one gave, too. */
  async #countAnew(): Promise<void> {
    const { body } = await call<AgentSelf>(this.identity, 'GET', '/api/agent/self', undefined, this.identity.deviceKey)
    this.say(`another machine has reported as this one; it counts on from report ${body.lastSeq}`)
    this.spool.jumpTo(body.lastSeq, true)
  }

  /**
   * Whether something was refused since this was asked the last time, so that nobody knows what facts the server has.
   */
  takeRefusals(): boolean {
    const had = this.#hasRefusals
    this.#hasRefusals = false
    return had
  }

  /**
   * @returns what the server said last; null when nothing waited
   * @throws RefusedError or Error when the rest has to wait
   */
  async sendAll(): Promise<ReportReceipt | null> {
    if (this.#pause && steady() < this.#pause.until) throw this.#pause.by
    this.#pause = null
    await this.#resume()
    let last: ReportReceipt | null = null
    const tasks: SignedText[] = []
    let most = batchSize
    let hasCountedAnew = false
    for (;;) {
      const reports = nextBatch(this.spool, most)
      if (!reports.length) return last
      try {
        const receipt = await this.#post(reports)
        tasks.push(...(receipt.tasks ?? []))
        last = { ...receipt, tasks }
        this.#hasRefusals ||= receipt.refused.some(isWholeReport)
        this.spool.drop(receipt.acknowledged)
        // It has heard of none of these, and says so with a success: then it counts differently, and must be asked.
        if (receipt.acknowledged < reports[0]!.seq)
          throw new Error(`the server acknowledges ${receipt.acknowledged} when it was sent ${reports[0]!.seq}`)
        this.#failures.delete(reports[0]!.seq)
        most = Math.min(batchSize, most * 2)
      } catch (error) {
        if (!(error instanceof RefusedError)) throw error
        if (error.retryAfter) this.#pause = { until: steady() + error.retryAfter * 1000, by: error }
        if (error.code === 'counted-by-another' && !hasCountedAnew) {
          hasCountedAnew = true
          this.#hasRefusals = true
          await this.#countAnew()
          continue
        }
        if (isFault(error)) {
          this.#hasRefusals = true
          if (reports.length === 1) this.#aside(reports[0]!.seq, error.message)
          most = Math.max(1, Math.floor(reports.length / 2))
        } else if (isServersFault(error)) {
          if (reports.length > 1) most = 1
          else if (await this.#passBy(reports[0]!.seq, error)) this.#hasRefusals = true
          else throw error
        } else throw error
      }
    }
  }

  #aside(seq: number, reason: string): void {
    this.say(`report ${seq} was refused and is put aside: ${reason}`)
    this.spool.putAside(seq)
    this.#failures.delete(seq)
  }

  /** Whether a report that the server fails at was passed by: it fails again and again, and the next one does not. */
  async #passBy(seq: number, error: RefusedError): Promise<boolean> {
    const failures = (this.#failures.get(seq) ?? 0) + 1
    this.#failures.set(seq, failures)
    const next = this.spool.waiting().find((waiting) => waiting > seq)
    const report = failures >= failuresBeforeAside && next !== undefined ? this.spool.read(next) : null
    if (!report) return false
    try {
      const receipt = await this.#post([report])
      this.#aside(seq, error.message)
      this.spool.drop(receipt.acknowledged)
      return true
    } catch {
      // It is not this report: the server is in trouble.
      return false
    }
  }
}
