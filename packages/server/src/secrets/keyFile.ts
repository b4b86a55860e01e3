import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'

/**
 * A key that lies in a file of the server's, readable by its owner only, and not in the database; made at the first
 * use.
 */
export function keyInFile(folder: string, name: string, make: () => string): string {
  const file = join(folder, name)
  if (!existsSync(file)) {
    mkdirSync(folder, { recursive: true, mode: 0o700 })
    writeFileSync(`${file}.new`, make(), { mode: 0o600 })
    renameSync(`${file}.new`, file)
  }
  return readFileSync(file, 'utf8')
}
