import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { root } from './place.mjs'

/**
 * What a browser loads before it can show the first page: the entry's scripts with all they import at once, gzipped.
 */
const limit = 250_000
const web = join(root, 'dist/web')
const html = readFileSync(join(web, 'index.html'), 'utf8')
const queue = [...html.matchAll(/(?:src|href)="\/(assets\/[^"]+\.js)"/g)].map(
  (match) => /** @type {string} */ (match[1]),
)
const seen = new Set()
let bytes = 0
for (let path = queue.shift(); path; path = queue.shift()) {
  if (seen.has(path)) continue
  seen.add(path)
  const source = readFileSync(join(web, path), 'utf8')
  bytes += gzipSync(source).length
  for (const match of source.matchAll(/(?:from|import)\s*["']\.\/([^"']+\.js)["']/g)) queue.push(`assets/${match[1]}`)
}
process.stdout.write(
  `first page: ${Math.round(bytes / 1000)} kB of JavaScript gzipped in ${seen.size} files, limit ${limit / 1000} kB\n`,
)
process.exit(bytes > 0 && bytes <= limit ? 0 : 1)
