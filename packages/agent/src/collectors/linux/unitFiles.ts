import { readdirSync, readlinkSync, statSync, type Dirent } from 'node:fs'
import { basename, join } from 'node:path'
import { command } from '../command'

/** Of which services there are files, and what is another text whenever one was added, removed, enabled or disabled. */
export interface UnitFiles {
  names: string[]
  stamp: string
}

/** Of the folders that systemd looks into, most machines have some. */
function isMissing(error: unknown): boolean {
  const { code } = error as NodeJS.ErrnoException
  return code === 'ENOENT' || code === 'ENOTDIR'
}

function entriesOf(folder: string): Dirent[] {
  try {
    return readdirSync(folder, { withFileTypes: true })
  } catch (error) {
    if (isMissing(error)) return []
    throw new Error(`${folder}, where services are described, cannot be read: ${(error as Error).message}`)
  }
}

function stampOf(folder: string): string {
  const found = statSync(folder, { throwIfNoEntry: false })
  return found ? `${folder} ${found.ino} ${found.mtimeMs}` : ''
}

/** What a link leads to, by its last name. */
function targetOf(link: string): string {
  try {
    return basename(readlinkSync(link))
  } catch (error) {
    if (isMissing(error)) return ''
    throw error
  }
}

/**
 * Services with a file in one of these folders; no templates, which are no services themselves, and none twice by
 * another name. `systemctl list-unit-files` tells more of them, for which the service manager reads each file: half a
 * second of its time.
 * @param folders in which units lie; those below them have what they are wanted by, and what adds to them
 * @throws where one cannot be read: what is described there would be taken for gone
 */
export function unitFilesIn(folders: readonly string[]): UnitFiles {
  const names = new Set<string>()
  /** By other names of theirs. */
  const targets = new Map<string, string>()
  const stamps: string[] = []
  for (const folder of folders) {
    stamps.push(stampOf(folder))
    for (const entry of entriesOf(folder))
      if (entry.isDirectory()) stamps.push(stampOf(join(folder, entry.name)))
      else if (entry.name.endsWith('.service') && !entry.name.endsWith('@.service')) {
        names.add(entry.name)
        if (entry.isSymbolicLink()) targets.set(entry.name, targetOf(join(folder, entry.name)))
      }
  }
  const isOther = (name: string) => targets.get(name) !== name && names.has(targets.get(name) ?? '')
  return { names: [...names].filter((name) => !isOther(name)), stamp: stamps.join('\n') }
}

/** Where the service manager looks for units: systemd.unit(5), “Unit File Load Path”. */
export async function unitFolders(): Promise<string[]> {
  const path = await command('systemctl', ['show', '--property=UnitPath', '--value'])
  const folders = path.trim().split(/\s+/).filter(Boolean)
  if (!folders.length) throw new Error('systemctl says of no folder that units lie in it')
  return folders
}
