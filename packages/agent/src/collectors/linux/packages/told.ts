import { existsSync, readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { second, type Millis, type RefreshFailure } from '#core'
import { packagesFolder } from '../../../install/rootTimers/packages'

/** How fetching the lists of packages went, by whoever did it for the agent. */
export interface Fetched {
  /** When it went well last; null: never. */
  at: Millis | null
  failure: RefreshFailure | null
}

/** Of what a package manager said, what says why: its own last error, or else its last words. */
export function whyNot(said: string): string {
  const lines = said
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean)
  const errors = lines.filter((line) => /^(E:|W: Failed|Error)/.test(line))
  // The last of apt’s errors only sums them up.
  const telling = errors.filter((line) => !/^E: Some index files failed/.test(line))
  return (telling[0] ?? errors[0] ?? lines.at(-1) ?? 'no reason was given').replace(/^[EW]: */, '')
}

/** What `packagesScript` writes of it: two times in seconds, zero where there is none, and then what was said. */
export function parseFetched(text: string): Fetched | null {
  const [fetched, failing, ...said] = text.split('\n')
  const [at, since] = [Number(fetched) * second, Number(failing) * second]
  if (!fetched || !failing || !Number.isFinite(at) || !Number.isFinite(since)) return null
  return { at: at || null, failure: since ? { since, reason: whyNot(said.join('\n')) } : null }
}

/** How a command ended that root’s script ran, and what it printed; `errors`: its last words where it failed. */
export interface Section {
  code: number
  output: string
  errors: string
}

/** `== NAME CODE` before what each printed; first of all stands which package manager was asked. */
export function parseSections(text: string): { manager: string; sections: Map<string, Section> } {
  const [manager = '', ...parts] = text.split(/^== /m)
  const sections = new Map<string, Section>()
  for (const part of parts) {
    const [head = '', ...lines] = part.split('\n')
    const [name = '', code] = head.split(' ')
    const output = lines.join('\n').trim()
    const failed = name.endsWith('.errors') ? sections.get(name.slice(0, -'.errors'.length)) : undefined
    if (failed) failed.errors = output
    else sections.set(name, { code: Number(code), output, errors: '' })
  }
  return { manager: manager.trim(), sections }
}

/** What root’s script has written last, and when; null: it has written nothing of that name. */
export function toldByRoot(
  name: 'fetched' | 'packages' | 'replaced',
  folder = packagesFolder,
): { text: string; at: Millis } | null {
  const file = join(folder, name)
  if (!existsSync(file)) return null
  return { text: readFileSync(file, 'utf8'), at: statSync(file).mtimeMs }
}
