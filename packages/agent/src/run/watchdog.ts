import { execFile } from 'node:child_process'
import { minute, type Millis } from '#core'
import { steady } from '../clock'

/** EX_SOFTWARE of sysexits.h: the service manager starts it anew. */
const stuck = 70
/**
 * A third of what systemd waits for (sd_watchdog_enabled(3): microseconds), so that one that comes late is no alarm.
 */
const pollEvery: Millis = Math.min(30_000, Number(process.env.WATCHDOG_USEC ?? Infinity) / 3000)

/**
 * Watches over the loop: a program that lives and no longer reports must end, so that its service manager starts it
 * anew. Under systemd that is told that all is well (sd_notify(3), WATCHDOG=1) only while the loop turns; where the
 * program itself no longer runs, nothing is told, and systemd ends it.
 */
export class Watchdog {
  #turnedAt = steady()
  #patience: Millis = 10 * minute
  readonly #timer: NodeJS.Timeout

  constructor(
    private readonly say: (text: string) => void,
    private readonly end: (status: number) => void = (status) => process.exit(status),
  ) {
    this.#timer = setInterval(() => this.#look(), pollEvery)
    this.#notify()
  }

  /** The loop has made another turn, and makes the next after this time. */
  turned(tick: Millis): void {
    this.#turnedAt = steady()
    this.#patience = 3 * tick + 5 * minute
  }

  #look(): void {
    if (steady() - this.#turnedAt <= this.#patience) return this.#notify()
    this.say('nothing has been reported or tried for too long: ending, to be started anew')
    this.end(stuck)
  }

  #notify(): void {
    if (process.env.NOTIFY_SOCKET) execFile('systemd-notify', ['WATCHDOG=1'], { timeout: 10_000 }, () => undefined)
  }

  stop(): void {
    clearInterval(this.#timer)
  }
}

/** What nobody handles ends the program loudly, with a status of its own, instead of leaving it alive and deaf. */
export function endOnWhatNobodyHandles(say: (text: string) => void): void {
  const end = (error: unknown) => {
    say(`ending, to be started anew: ${(error as Error)?.stack ?? String(error)}`)
    process.exit(stuck)
  }
  process.on('uncaughtException', end)
  process.on('unhandledRejection', end)
}
