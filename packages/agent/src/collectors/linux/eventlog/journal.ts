import { spawn } from 'node:child_process'
import { second, type Millis } from '#core'
import { endGroup, plainEnvironment } from '../../command'
import type { Keep } from '../../keep'
import { keptFields, parseJournalLine } from './journalEntry'

/** One look reads so many entries, and takes so long, at most; the next goes on from there. */
const mostEntries = 50_000
const patience: Millis = 20 * second
/** A longer line is no entry that anybody reads, and may fill the memory. */
const longestLine = 256 * 1024
/** Of a journal that is read for the first time only its end is looked at. */
const firstRead = 50

const fields = ['MESSAGE', 'PRIORITY', 'SYSLOG_IDENTIFIER', '_COMM', '_TRANSPORT', ...keptFields]
// An entry begins with its cursor (systemd's Journal Export Formats, JSON form).
const cursorOf = (line: string) => /"__CURSOR"\s*:\s*"([^"]+)"/.exec(line)?.[1]

/** Splits what comes into lines; of one that is too long only the beginning is kept. */
class Lines {
  #rest = ''
  #dropping = false

  constructor(private readonly line: (text: string, isWhole: boolean) => void) {}

  push(text: string): void {
    let from = 0
    for (let end = text.indexOf('\n'); end >= 0; end = text.indexOf('\n', from)) {
      this.#end(text.slice(from, end))
      from = end + 1
    }
    if (!this.#dropping) this.#rest += text.slice(from)
    if (this.#rest.length > longestLine) {
      this.#rest = this.#rest.slice(0, 1000)
      this.#dropping = true
    }
  }

  #end(text: string): void {
    const line = this.#rest + (this.#dropping ? '' : text)
    if (line) this.line(line, !this.#dropping)
    this.#rest = ''
    this.#dropping = false
  }
}

/**
 * Reads the journal after a cursor, as it streams: neither many entries nor long ones fill the memory.
 * @param cursor null: never read before; then its newest entries are kept as old ones
 * @returns the cursor of the last entry that was read
 */
export function readJournal(cursor: string | null, keep: Keep): Promise<string | null> {
  const where = cursor === null ? [`--lines=${firstRead}`] : [`--after-cursor=${cursor}`]
  return new Promise((resolve, reject) => {
    // Fields beyond 4096 bytes come only with --all; others than these are never needed.
    const child = spawn(
      'journalctl',
      ['--output=json', '--all', `--output-fields=${fields.join(',')}`, '--no-pager', ...where],
      { detached: true, stdio: ['ignore', 'pipe', 'pipe'], env: plainEnvironment() },
    )
    let last = cursor
    let count = 0
    let words = ''
    let isCut = false
    const decoder = new TextDecoder()
    const cut = () => {
      isCut = true
      endGroup(child)
    }
    const late = setTimeout(cut, patience)
    const lines = new Lines((line, isWhole) => {
      if (isCut) return
      const entry = isWhole ? parseJournalLine(line) : null
      last = cursorOf(line) ?? last
      if (entry) keep.add(cursor === null ? { ...entry, old: true } : entry)
      else keep.skip(1)
      if (++count >= mostEntries) cut()
    })
    child.stdout.on('data', (chunk: Buffer) => lines.push(decoder.decode(chunk, { stream: true })))
    child.stderr.on('data', (chunk: Buffer) => {
      words = (words + chunk.toString('utf8')).slice(-2000)
    })
    child.on('error', reject)
    child.on('close', (code) => {
      clearTimeout(late)
      // What was read counts, also when it was cut off, or broke at a damaged file.
      if (code === 0 || count > 0) resolve(last)
      else if (isCut) reject(new Error('journalctl: nothing came within 20 s'))
      else reject(new Error(`journalctl: ${words.trim().split('\n').pop() || `exit status ${code}`}`))
    })
  })
}
