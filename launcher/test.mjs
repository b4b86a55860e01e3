import { spawn } from 'node:child_process'
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { buildAll } from './build.mjs'
import { ensureChromium, ensurePostgres, ensureRealHosts } from './debian.mjs'
import { root } from './place.mjs'
import { step } from './say.mjs'

/** @typedef {{ passed: number, failed: number, names?: string[] }} Count `names`: of what failed */

// The build before this leaves its own NODE_ENV behind.
/**
 * @param {string[]} words
 * @param {Record<string, string>} [env]
 * @param {string} [program]
 * @returns {Promise<{ code: number, output: string }>}
 */
function run(words, env = {}, program = process.execPath) {
  return new Promise((resolve) => {
    const child = spawn(program, words, {
      cwd: root,
      env: { ...process.env, NODE_ENV: 'test', ...env },
      stdio: ['ignore', 'pipe', 'pipe'],
    })
    let output = ''
    for (const stream of [child.stdout, child.stderr])
      stream.on('data', (chunk) => {
        output += chunk
      })
    child.on('close', (code) => resolve({ code: code ?? 1, output }))
  })
}

const bin = (/** @type {string} */ path) => join(root, 'node_modules', path)

/**
 * A tool that says yes or no counts as one test.
 * @param {string} name
 * @param {string[]} words
 * @returns {Promise<Count>}
 */
async function check(name, words) {
  const began = Date.now()
  const { code, output } = await run(words)
  step(`${code === 0 ? 'ok    ' : 'FAILED'} ${name} (${Math.round((Date.now() - began) / 1000)} s)`)
  if (code !== 0) process.stdout.write(output + '\n')
  return { passed: Number(code === 0), failed: Number(code !== 0), names: code === 0 ? [] : [name] }
}

/**
 * Words of `node` as words of a process with a network of its own: nothing but its loopback, and what it makes itself.
 * @param {string[]} words
 */
const apart = (words) => ({
  program: 'unshare',
  words: ['--net', 'sh', '-c', 'ip link set lo up && exec "$@"', 'sh', process.execPath, ...words],
})

/**
 * A test runner, counted from the JSON report it writes. One that fails without saying which test did counts as one
 * failure.
 * @param {string} name @param {string[]} words @param {Record<string, string>} env @param {string} report @param
 * {(json: any) => Count} count @param {boolean} [isApart]
 */
async function runner(name, words, env, report, count, isApart = false) {
  const began = Date.now()
  const { code, output } = isApart ? await run(apart(words).words, env, apart(words).program) : await run(words, env)
  const counted = existsSync(report) ? count(JSON.parse(readFileSync(report, 'utf8'))) : { passed: 0, failed: 0 }
  if ((code !== 0 || counted.passed === 0) && counted.failed === 0) counted.failed = 1
  step(
    `${counted.failed === 0 ? 'ok    ' : 'FAILED'} ${name}: ${counted.passed} passed, ${counted.failed} failed (${Math.round((Date.now() - began) / 1000)} s)`,
  )
  if (counted.failed) process.stdout.write(output + '\n')
  return { ...counted, names: counted.names?.length || !counted.failed ? counted.names : [name] }
}

const vitest = bin('vitest/vitest.mjs')

/** @param {string} name @param {string[]} projects @param {string} report @param {boolean} [isApart] */
const vitestRun = (name, projects, report, isApart) =>
  runner(
    name,
    [
      vitest,
      'run',
      ...projects.flatMap((project) => ['--project', project]),
      '--reporter=default',
      '--reporter=json',
      `--outputFile.json=${report}`,
    ],
    {},
    report,
    (json) => ({
      passed: json.numPassedTests,
      failed:
        json.numFailedTests +
        json.testResults.filter((/** @type {any} */ file) => file.status === 'failed' && !file.assertionResults.length)
          .length,
      names: json.testResults.flatMap((/** @type {any} */ file) => [
        ...file.assertionResults
          .filter((/** @type {any} */ each) => each.status === 'failed')
          .map((/** @type {any} */ each) => each.fullName),
        ...(file.status === 'failed' && !file.assertionResults.length ? [file.name] : []),
      ]),
    }),
    isApart,
  )

/**
 * Tests on real hosts; where there can be none it is said, and in CI that is a failure.
 * @param {string | null} why
 * @param {string} report
 * @returns {Promise<Count>}
 */
async function onRealHosts(why, report) {
  // A browser drops what is under way whenever the network of its machine changes.
  if (why === null) return vitestRun('tests on real hosts', ['hosts'], report, true)
  const isFailure = process.env.CI === 'true'
  step(`${isFailure ? 'FAILED' : 'LEFT OUT'} tests on real hosts: ${why}`)
  return { passed: 0, failed: Number(isFailure) }
}

/**
 * Titles of what failed in a suite of the browser tests, and in those within it.
 * @param {any} suite
 * @returns {string[]}
 */
const failedIn = (suite) => [
  ...(suite.specs ?? []).filter((/** @type {any} */ spec) => !spec.ok).map((/** @type {any} */ spec) => spec.title),
  ...(suite.suites ?? []).flatMap(failedIn),
]

/** Every check there is; ends the process with the sum as its last line. */
export async function test() {
  ensurePostgres()
  ensureChromium()
  const why = ensureRealHosts()
  const reports = mkdtempSync(join(tmpdir(), 'custode-test-'))
  const began = Date.now()
  /** @type {Count[]} */
  const counts = []
  step('building…')
  await buildAll()
  // Their Debian is made once a machine, which takes some minutes of waiting for packages.
  const bases = why === null ? run([join(root, 'dist/programs/realHosts.mjs'), 'prepare']) : Promise.resolve(null)
  counts.push(
    ...(await Promise.all([
      check('lint', [bin('eslint/bin/eslint.js'), '.', '--max-warnings', '0']),
      check('format', [bin('prettier/bin/prettier.cjs'), '--check', '.', '--log-level', 'warn']),
      check('types', [bin('typescript/bin/tsc'), '--noEmit']),
      check('types of the web application', [bin('vue-tsc/bin/vue-tsc.js'), '--noEmit', '-p', 'packages/web']),
    ])),
  )
  counts.push(
    await check('dependency rules', [
      bin('dependency-cruiser/bin/dependency-cruise.mjs'),
      '--config',
      '.dependency-cruiser.cjs',
      'packages',
    ]),
  )
  counts.push(await check('unused code and packages', [bin('knip/bin/knip.js')]))
  counts.push(await check('size of the first page', ['launcher/firstPage.mjs']))
  counts.push(await vitestRun('unit and server tests', ['core', 'web', 'server'], join(reports, 'unit.json')))
  // Most of what happens on real hosts is waiting, which the browser tests need not wait for; unit tests take all
  // cores.
  const hosts = bases.then(() => onRealHosts(why, join(reports, 'hosts.json')))
  const browser = join(reports, 'browser.json')
  counts.push(
    await runner(
      'browser tests',
      [bin('@playwright/test/cli.js'), 'test', '-c', 'e2e', '--reporter=list,json'],
      { PLAYWRIGHT_JSON_OUTPUT_NAME: browser },
      browser,
      (json) => ({
        passed: json.stats.expected + json.stats.flaky,
        failed: json.stats.unexpected + json.stats.skipped,
        names: json.suites.flatMap(failedIn),
      }),
    ),
  )
  counts.push(await hosts)
  rmSync(reports, { recursive: true })
  const sum = counts.reduce((a, b) => ({ passed: a.passed + b.passed, failed: a.failed + b.failed }))
  // Once more at the end, where it is found without reading all of the above.
  for (const name of counts.flatMap((each) => each.names ?? [])) step(`failed: ${name}`)
  step(`${Math.round((Date.now() - began) / 1000)} s in all`)
  process.stdout.write(`${sum.passed} passed, ${sum.failed} failed\n`)
  process.exit(sum.failed ? 1 : 0)
}
