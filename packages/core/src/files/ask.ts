import { matchesPattern } from '../text'
import type { Bytes, Millis } from '../units'

/** Which files an agent looks at, and for what beyond their number, size and age. */
export interface FileAsk {
  /** With its folder; each part may hold * and ?: /srv/in/*.csv, C:\Export\*.xml. */
  path: string
  /** Words with * and ? whose lines are counted; empty: contents are not read. */
  words: string
  /** Whether to tell when what stands in it changes. */
  digest?: true
}

/** What an agent says of an ask beside its readings. */
export interface FileTold {
  /** As `fileAskName` has it. */
  name: string
  /** Why it could not be looked at; what it then says is no answer. */
  trouble?: string
  /** Of what stands in it; only where one file is meant. */
  digest?: string
}

/**
 * What the series of an ask are called: the same for the same ask, on every device, and another for another.
 * @example fileAskName({ path: '/var/log/app.log', words: 'out of memory' }) // '“out of memory” in /var/log/app.log'
 */
export const fileAskName = ({ path, words }: Pick<FileAsk, 'path' | 'words'>): string =>
  words ? `“${words.replaceAll('”', '\\”')}” in ${path}` : path

const windowsPath = /^[a-z]:[\\/]/i

/** Why a path cannot be looked at, as a sentence; null: it can. */
export function pathFault(path: string): string | null {
  if (path === '') return null
  if (!path.startsWith('/') && !windowsPath.test(path))
    return `“${path}” says no folder: write it from the root, such as /srv/in/*.csv or C:\\Export\\*.xml.`
  return partsOf(path).some((part) => part === '..' || part === '.')
    ? `“${path}” goes up or stays: write the folder itself.`
    : null
}

/** The parts of a path below its root; of Windows', the drive first. */
export function partsOf(path: string): string[] {
  const parts = windowsPath.test(path) ? path.split(/[\\/]+/) : path.split(/\/+/)
  return parts.filter((part) => part !== '')
}

export const isPattern = (part: string): boolean => /[*?]/.test(part)
/** Whether a name fits a part of a path; what is hidden only where it is asked for, as in a shell. */
export const fitsPart = (part: string, name: string): boolean =>
  matchesPattern(part, name) && (part.startsWith('.') || !name.startsWith('.'))

/** What was seen of the files of an ask. */
export interface FilesSeen {
  count: number
  size: Bytes
  largest: Bytes
  /** When the newest and the oldest were last modified; null: there is none. */
  newest: Millis | null
  oldest: Millis | null
  /** Lines with the words; null: nobody asked. */
  lines: number | null
}
