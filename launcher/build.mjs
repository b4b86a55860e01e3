import { build } from 'esbuild'
import { chmodSync, existsSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { root } from './place.mjs'

const dist = join(root, 'dist')
const stamp = join(dist, 'built')

/** Newest change below a folder, in ms since 1970. @param {string} folder @returns {number} */
function newest(folder) {
  return readdirSync(folder, { withFileTypes: true }).reduce((latest, entry) => {
    const path = join(folder, entry.name)
    return Math.max(latest, entry.isDirectory() ? newest(path) : statSync(path).mtimeMs)
  }, statSync(folder).mtimeMs)
}

export function isBuilt() {
  if (!existsSync(stamp)) return false
  const sources = Math.max(newest(join(root, 'packages')), newest(join(root, 'launcher')), statSync(join(root, 'package-lock.json')).mtimeMs)
  return statSync(stamp).mtimeMs > sources
}

/** @param {string} folder */
function compress(folder) {
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name)
    if (entry.isDirectory()) compress(path)
    else if (/\.(js|css|html|svg)$/.test(entry.name)) writeFileSync(`${path}.gz`, gzipSync(readFileSync(path), { level: 9 }))
  }
}

export async function buildPrograms() {
  const source = (/** @type {string} */ path) => join(root, 'packages', path)
  const common = /** @type {const} */ ({ bundle: true, platform: 'node', target: 'node20', format: 'esm', sourcemap: true, logLevel: 'warning' })
  await build({ ...common, packages: 'external', outdir: join(dist, 'programs'), outExtension: { '.js': '.mjs' },
    entryPoints: { server: source('server/src/main.ts'), fleet: source('standins/src/fleet/main.ts'), seed: source('standins/src/seed/main.ts') } })
  // The agent is one file that needs nothing but Node: that is what gets copied to a device.
  await build({ ...common, sourcemap: false, outfile: join(dist, 'agent', 'custode-agent.mjs'), entryPoints: [source('agent/src/main.ts')], banner: { js: '#!/usr/bin/env -S node --max-old-space-size=32 --max-semi-space-size=1' } })
  chmodSync(join(dist, 'agent', 'custode-agent.mjs'), 0o755)
}

export async function buildAll() {
  rmSync(stamp, { force: true })
  await buildPrograms()
  const { build: buildWeb } = await import('vite')
  await buildWeb({ root: join(root, 'packages/web'), logLevel: 'warn' })
  compress(join(dist, 'web'))
  writeFileSync(stamp, '')
}

if (process.argv[1] === import.meta.filename) await buildAll()
