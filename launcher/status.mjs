import { spawnSync } from 'node:child_process'
import { basename } from 'node:path'
import { isBuilt } from './build.mjs'
import { placesOf } from './place.mjs'
import { runningUrl } from './postgres.mjs'
import { launcherOf, programPath } from './programs.mjs'
import { PlainError } from './say.mjs'

/** @param {string} database */
function print(database) {
  spawnSync(process.execPath, [programPath('status')], {
    stdio: 'inherit',
    env: { ...process.env, CUSTODE_DATABASE: database },
  })
}

/** What runs of this clone, or of the server whose database is named, and how large its data is. */
export async function status() {
  if (!isBuilt()) throw new PlainError('Nothing is built here yet: “./custode build”, or start the demo.')
  if (process.env.CUSTODE_DATABASE) return print(process.env.CUSTODE_DATABASE)
  const places = placesOf('demo')
  if (!places.length) process.stdout.write('There is no demo here. “./custode demo” starts one.\n')
  for (const place of places) {
    const launcher = launcherOf(place)
    const database = runningUrl(place)
    process.stdout.write(
      `${basename(place)}: ${launcher === null ? 'not running' : `runs (process ${launcher})`}, its data in ${place}\n`,
    )
    if (database) print(database)
  }
}
