import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import type { Report } from '#contract/report'
import { hour } from '#core'
import { writeWhole } from './identity'

const keepFor = 48 * hour

const counterOf = (home: string) => join(home, 'sequence')

/** From the enrolment on, the first report has this number. */
export function startCounting(home: string, firstSeq: number): void {
  mkdirSync(home, { recursive: true, mode: 0o700 })
  writeWhole(counterOf(home), String(firstSeq - 1))
}

/**
 * Reports that are not acknowledged, a file each, named by sequence number. A report gets its number when it is written,
 * so that after a crash no number comes twice with different contents.
 */
export class Spool {
  readonly #folder: string
  readonly #counter: string
  #last: number

  constructor(home: string) {
    this.#folder = join(home, 'spool')
    this.#counter = counterOf(home)
    mkdirSync(this.#folder, { recursive: true, mode: 0o700 })
    const counted = existsSync(this.#counter) ? Number(readFileSync(this.#counter, 'utf8')) : 0
    this.#last = Math.max(counted, this.waiting().at(-1) ?? 0)
  }

  /** Sequence numbers that wait, least first. */
  waiting(): number[] {
    return readdirSync(this.#folder).filter((name) => /^\d+\.json$/.test(name)).map((name) => parseInt(name, 10)).sort((a, b) => a - b)
  }

  get last(): number {
    return this.#last
  }

  #file(seq: number): string {
    return join(this.#folder, `${seq}.json`)
  }

  add(report: Omit<Report, 'seq'>): number {
    const seq = this.#last + 1
    writeWhole(this.#counter, String(seq))
    writeWhole(this.#file(seq), JSON.stringify({ seq, ...report }))
    this.#last = seq
    return seq
  }

  /** A file that cannot be read is put aside, so that it does not stop those behind it. */
  read(seq: number): Report | null {
    try {
      return JSON.parse(readFileSync(this.#file(seq), 'utf8')) as Report
    } catch {
      this.putAside(seq)
      return null
    }
  }

  drop(upTo: number): void {
    for (const seq of this.waiting()) if (seq <= upTo) rmSync(this.#file(seq), { force: true })
  }

  putAside(seq: number): void {
    renameSync(this.#file(seq), join(this.#folder, `${seq}.refused`))
  }

  /** What has waited for longer than 48 hours is given up, oldest first. */
  giveUpOld(now: number): number {
    let given = 0
    for (const seq of this.waiting()) {
      const report = this.read(seq)
      if (report && now - report.at <= keepFor) break
      rmSync(this.#file(seq), { force: true })
      given++
    }
    return given
  }
}
