import { spawnSync } from 'node:child_process'
import { existsSync } from 'node:fs'
import { buildPrograms } from './build.mjs'
import { demoLead } from './demo.mjs'
import { programPath } from './programs.mjs'

/** Runs the program for policy as text; the demo's server and lead are asked where nobody says another. */
export async function policy() {
  if (!existsSync(programPath('policy'))) await buildPrograms()
  const {
    CUSTODE_URL = 'http://127.0.0.1:7700',
    CUSTODE_EMAIL = demoLead.email,
    CUSTODE_PASSWORD = demoLead.password,
  } = process.env
  const done = spawnSync(process.execPath, [programPath('policy'), ...process.argv.slice(3)], {
    stdio: 'inherit',
    env: { ...process.env, CUSTODE_URL, CUSTODE_EMAIL, CUSTODE_PASSWORD },
  })
  process.exit(done.status ?? 2)
}
