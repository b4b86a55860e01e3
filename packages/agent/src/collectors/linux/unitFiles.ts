import { readdirSync, statSync, type Dirent } from 'node:fs'
import { join } from 'node:path'
import { command } from '../command'

/** Of which services there are files, and what is another text whenever one was added, removed, enabled or disabled. */
export interface UnitFiles {
  names: string[]
  stamp: string
}

function entriesOf(folder: string): Dirent[] {
  try {
    return readdirSync(folder, { withFileTypes: true })
  } catch {
    // Of the folders that systemd looks into, most machines have some.
    return []
  }
}

function stampOf(folder: string): string {
  try {
    const { mtimeMs, ino } = statSync(folder)
    return `${folder} ${ino} ${mtimeMs}`
  } catch {
    return ''
  }
}

/**
 * Services with a file in one of these folders; no templates, which are no services themselves. `systemctl
 * list-unit-files` tells more of them, for which the service manager reads each file: half a second of its time.
 * @param folders in which units lie; those below them have what they are wanted by, and what adds to them
 */
export function unitFilesIn(folders: readonly string[]): UnitFiles {
  const names = new Set<string>()
  const stamps: string[] = []
  for (const folder of folders) {
    stamps.push(stampOf(folder))
    for (const entry of entriesOf(folder))
      if (entry.isDirectory()) stamps.push(stampOf(join(folder, entry.name)))
      else if (entry.name.endsWith('.service') && !entry.name.endsWith('@.service')) names.add(entry.name)
  }
  return { names: [...names], stamp: stamps.join('\n') }
}

/** Where the service manager looks for units: systemd.unit(5), “Unit File Load Path”. */
export async function unitFolders(): Promise<string[]> {
  const path = await command('systemctl', ['show', '--property=UnitPath', '--value'])
  const folders = path.trim().split(/\s+/).filter(Boolean)
  if (!folders.length) throw new Error('systemctl says of no folder that units lie in it')
  return folders
}
