import { existsSync, mkdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { writeWhole } from '#files'

/**
 * A key that lies in a file of the server's, readable by its owner only, and not in the database; made at the first
 * use.
 */
export function keyInFile(folder: string, name: string, make: () => string): string {
  const file = join(folder, name)
  if (!existsSync(file)) {
    mkdirSync(folder, { recursive: true, mode: 0o700 })
    // On disk before it is used: what is sealed with a key that a power cut takes is lost.
    writeWhole(file, make())
  }
  return readFileSync(file, 'utf8')
}
