import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, statSync } from 'node:fs'
import { join } from 'node:path'
import type { Report } from '#contract/report'
import { hour } from '#core'
import { readJson, writeWhole } from '#files'

const keepFor = 48 * hour
/** Where the disk takes nothing, what waits takes no more memory than this. */
const mostUnsavedBytes = 4e6
/** Reports that a server refused are kept for whoever looks into it, the newest so many. */
const refusedKept = 20

const counterOf = (home: string) => join(home, 'sequence')

/** How far logs were read, by collector: opaque to all but the collector itself. */
export type Places = Record<string, unknown>

interface Kept {
  report: Report
  places: Places | null
}

/** From the enrolment on, the first report has this number. */
export function startCounting(home: string, firstSeq: number): void {
  mkdirSync(home, { recursive: true, mode: 0o700 })
  writeWhole(counterOf(home), String(firstSeq - 1))
}

/**
 * Reports that are not acknowledged, a file each, named by sequence number. A report gets its number when it is
 * written, so that after a crash no number comes twice with different contents. How far logs were read is written in
 * the same file: so no entry is told twice, and none is left out, whenever the program ends. What cannot be written is
 * kept in memory.
 */
export class Spool {
  readonly #folder: string
  readonly #counter: string
  readonly #placesFile: string
  readonly #sizes = new Map<number, number>()
  readonly #unsaved = new Map<number, Kept>()
  /** Numbers of reports that this run of the program has made. */
  readonly #own = new Set<number>()
  #places: Places
  #last: number
  #lost = 0

  /** @param mostBytes what waits takes no more room than this on disk */
  constructor(
    home: string,
    private readonly mostBytes = 64e6,
  ) {
    this.#folder = join(home, 'spool')
    this.#counter = counterOf(home)
    this.#placesFile = join(home, 'places.json')
    mkdirSync(this.#folder, { recursive: true, mode: 0o700 })
    for (const name of readdirSync(this.#folder))
      if (/^\d+\.json$/.test(name)) this.#sizes.set(parseInt(name, 10), statSync(join(this.#folder, name)).size)
    const counted = existsSync(this.#counter) ? Number(readFileSync(this.#counter, 'utf8')) : 0
    this.#last = Math.max(Number.isSafeInteger(counted) ? counted : 0, this.waiting().at(-1) ?? 0)
    this.#places = this.#newestPlaces()
  }

  /** The newest report knows more than the file does when the program ended between the two. */
  #newestPlaces(): Places {
    const kept = readJson<{ seq: number; places: Places }>(
      this.#placesFile,
      (value) =>
        typeof (value as { seq?: unknown } | null)?.seq === 'number' &&
        typeof (value as { places?: unknown }).places === 'object',
    )
    const seq = this.waiting().at(-1)
    const newest = seq === undefined ? null : this.#load(seq)
    if (newest?.places && (kept === null || newest.report.seq > kept.seq)) return newest.places
    return kept?.places ?? {}
  }

  /** Sequence numbers that wait, least first. */
  waiting(): number[] {
    return [...this.#sizes.keys(), ...this.#unsaved.keys()].sort((a, b) => a - b)
  }
  get last(): number {
    return this.#last
  }
  /** How far logs were read when the newest report was made. */
  get places(): Readonly<Places> {
    return this.#places
  }
  /** Reports that were given up since this was asked the last time. */
  takeLost(): number {
    const lost = this.#lost
    this.#lost = 0
    return lost
  }

  #file(seq: number): string {
    return join(this.#folder, `${seq}.json`)
  }

  #load(seq: number): Kept | null {
    const unsaved = this.#unsaved.get(seq)
    if (unsaved) return unsaved
    const value = readJson<Kept | Report>(this.#file(seq))
    if (value === null) return null
    // Agents before wrote the report alone.
    const kept: Kept = 'report' in value ? value : { report: value, places: null }
    return kept.report?.seq === seq ? kept : null
  }

  /** @param read how far logs were read for it, by collector; what is not named stands as it was */
  add(report: Omit<Report, 'seq'>, read: Places = {}): { seq: number; saved: boolean } {
    const seq = this.#last + 1
    const places = { ...this.#places, ...read }
    const kept: Kept = { report: { seq, ...report }, places }
    const text = JSON.stringify(kept)
    let saved = true
    try {
      writeWhole(this.#counter, String(seq))
      writeWhole(this.#file(seq), text)
      this.#sizes.set(seq, Buffer.byteLength(text))
    } catch {
      // The disk is full, or gone: what was seen is told all the same, from memory.
      saved = false
      rmQuietly(`${this.#file(seq)}.new`)
      this.#unsaved.set(seq, kept)
    }
    this.#last = seq
    this.#own.add(seq)
    this.#places = places
    if (saved) this.#savePlaces(seq)
    this.#bound()
    return { seq, saved }
  }

  #savePlaces(seq: number): void {
    try {
      writeWhole(this.#placesFile, JSON.stringify({ seq, places: this.#places }))
    } catch {
      // They stand in the report, too.
    }
  }

  #bound(): void {
    let bytes = [...this.#sizes.values()].reduce((sum, size) => sum + size, 0)
    for (const [seq, size] of [...this.#sizes].sort(([a], [b]) => a - b)) {
      if (bytes <= this.mostBytes) break
      bytes -= size
      this.#giveUp(seq)
    }
    let inMemory = [...this.#unsaved.values()].reduce((sum, kept) => sum + JSON.stringify(kept).length, 0)
    for (const [seq, kept] of this.#unsaved) {
      if (inMemory <= mostUnsavedBytes || this.#unsaved.size === 1) break
      inMemory -= JSON.stringify(kept).length
      this.#giveUp(seq)
    }
  }

  #giveUp(seq: number): void {
    this.#remove(seq)
    this.#lost++
  }

  #remove(seq: number): void {
    this.#unsaved.delete(seq)
    if (this.#sizes.delete(seq)) rmQuietly(this.#file(seq))
    this.#own.delete(seq)
  }

  /** A file that cannot be read is put aside, so that it does not stop those behind it. */
  read(seq: number): Report | null {
    const kept = this.#load(seq)
    if (kept === null) this.putAside(seq)
    return kept?.report ?? null
  }

  drop(upTo: number): void {
    for (const seq of this.waiting()) if (seq <= upTo) this.#remove(seq)
  }

  putAside(seq: number): void {
    this.#unsaved.delete(seq)
    this.#own.delete(seq)
    if (!this.#sizes.delete(seq)) return
    try {
      renameSync(this.#file(seq), join(this.#folder, `${seq}.refused`))
      const refused = this.refused()
      for (const old of refused.slice(0, Math.max(0, refused.length - refusedKept)))
        rmQuietly(join(this.#folder, `${old}.refused`))
    } catch {
      // It is gone: then it stops nobody either.
    }
  }

  /** Numbers of reports that were put aside, least first. */
  refused(): number[] {
    return readdirSync(this.#folder)
      .filter((name) => /^\d+\.refused$/.test(name))
      .map((name) => parseInt(name, 10))
      .sort((a, b) => a - b)
  }

  /**
   * Counts on from there: the server has seen numbers that this agent never gave, because it was set back. What it made
   * since is told under new numbers; what was there before was told by whoever gave those.
   * @param usedByAnother another machine has used numbers of this one's: then all that waits is told under new ones
   */
  jumpTo(lastSeq: number, usedByAnother = false): void {
    if (lastSeq <= this.#last && !usedByAnother) return
    const own = this.waiting().flatMap((seq) => {
      const kept = usedByAnother || this.#own.has(seq) ? this.#load(seq) : null
      return kept ? [kept] : []
    })
    this.drop(this.#last)
    this.#last = Math.max(this.#last, lastSeq)
    for (const {
      report: { seq: _old, ...report },
    } of own)
      this.add(report)
    if (!own.length) this.#saveCounter()
  }

  #saveCounter(): void {
    try {
      writeWhole(this.#counter, String(this.#last))
    } catch {
      // The next report writes it.
    }
  }

  /**
   * What has waited for longer than 48 hours is given up, oldest first: by the time since the machine's start, where
   * it is still the same, because a clock that is set forward must not cost what waits.
   */
  giveUpOld(now: number, { up, boot }: { up: number; boot: string } = { up: 0, boot: '' }): number {
    let given = 0
    for (const seq of this.waiting()) {
      const report = this.#load(seq)?.report
      const age = report && (report.boot === boot && report.up !== undefined ? up - report.up : now - report.at)
      if (age !== undefined && age <= keepFor) break
      this.#giveUp(seq)
      given++
    }
    return given
  }
}

function rmQuietly(file: string): void {
  try {
    rmSync(file, { force: true })
  } catch {
    // It cannot be reached: then nobody reads it either.
  }
}
