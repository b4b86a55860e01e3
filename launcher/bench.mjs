import { build } from 'esbuild'
import { spawnSync } from 'node:child_process'
import { readdirSync } from 'node:fs'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { buildPrograms } from './build.mjs'
import { forget, placeOf, root } from './place.mjs'
import { startPostgres } from './postgres.mjs'
import { PlainError } from './say.mjs'

const text = { type: /** @type {const} */ ('string') }
const flag = { type: /** @type {const} */ ('boolean') }

/** Measuring takes minutes: what is not understood is not begun. */
function readOptions() {
  try {
    return parseArgs({
      args: process.argv.slice(3),
      options: {
        readings: text,
        estate: text,
        live: text,
        logs: text,
        looks: text,
        'page-minutes': text,
        json: text,
        reports: flag,
        cover: flag,
        kinds: flag,
        usual: flag,
        fortnight: flag,
      },
    }).values
  } catch (error) {
    throw new PlainError(
      `${/** @type {Error} */ (error).message}\nbench takes --readings DEVICES, --estate DEVICES [--page-minutes N], --live REPORTS, --logs DEVICES, --looks DEVICES, --reports, --cover, --kinds, --usual or --fortnight, and --json FILE.`,
    )
  }
}

/** Measures the built programs on a cluster of their own, with real flushes to disk. */
export async function bench() {
  const options = readOptions()
  await buildPrograms()
  const folder = join(root, 'bench')
  const entryPoints = readdirSync(folder)
    .filter((name) => name.endsWith('.ts'))
    .map((name) => join(folder, name))
  await build({
    entryPoints,
    outdir: join(root, 'dist/bench'),
    outExtension: { '.js': '.mjs' },
    bundle: true,
    platform: 'node',
    target: 'node20',
    format: 'esm',
    packages: 'external',
    external: ['../launcher/*'],
    logLevel: 'warning',
  })
  const place = placeOf('bench')
  forget(place)
  const database = await startPostgres(place)
  try {
    const program = options.estate
      ? 'estate.mjs'
      : options.readings
        ? 'readings.mjs'
        : options.live
          ? 'live.mjs'
          : options.logs
            ? 'logs.mjs'
            : options.looks
              ? 'looks.mjs'
              : options.kinds
                ? 'kinds.mjs'
                : options.usual
                  ? 'usual.mjs'
                  : options.fortnight
                    ? 'fortnight.mjs'
                    : 'main.mjs'
    const done = spawnSync(process.execPath, [join(root, 'dist/bench', program), ...process.argv.slice(3)], {
      stdio: 'inherit',
      env: { ...process.env, CUSTODE_ROOT: root, CUSTODE_PLACE: place, CUSTODE_DATABASE: database.url },
    })
    if (done.status !== 0) throw new PlainError('The measurement failed; see above.')
  } finally {
    await database.stop()
    forget(place)
  }
}
