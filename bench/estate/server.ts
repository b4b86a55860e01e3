import { spawn, type ChildProcess } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

const { CUSTODE_ROOT: root = '' } = process.env
export const port = 17_791
export const url = `http://127.0.0.1:${port}`
export const lead = { email: 'lead@lanternfield.example', password: 'only for this measurement' }

const keys = mkdtempSync(join(tmpdir(), 'custode-bench-keys-'))
const running = new Set<ChildProcess>()

/** The built server, on a database of its own; the first makes its tables and the lead. */
export function startServer(database: string, at = port): ChildProcess {
  const server = spawn(process.execPath, [join(root, 'dist/programs/server.mjs')], {
    stdio: ['ignore', 'ignore', 'inherit'],
    env: {
      ...process.env,
      CUSTODE_DATABASE: database,
      CUSTODE_PORT: String(at),
      CUSTODE_MIGRATIONS: join(root, 'packages/server/src/db/migrations'),
      CUSTODE_WEB: join(root, 'dist/web'),
      CUSTODE_FIRST_LEAD: `${lead.email}\nLead\n${lead.password}`,
      CUSTODE_INTERVAL: '60000',
      CUSTODE_KEYS: keys,
    },
  })
  running.add(server)
  return server
}

export async function untilUp(server: ChildProcess, at = port): Promise<void> {
  for (let i = 0; i < 300; i++) {
    if (server.exitCode !== null) throw new Error(`the server ended; is another program at port ${at}?`)
    if (await fetch(`http://127.0.0.1:${at}/api/session`).catch(() => null)) return
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
  throw new Error('the server does not answer')
}

export async function end(server: ChildProcess): Promise<void> {
  running.delete(server)
  const ended = new Promise((resolve) => server.once('exit', resolve))
  server.kill()
  await ended
}

/** Whatever still runs, and the keys of all. */
export function endAll(): void {
  for (const server of running) server.kill()
  rmSync(keys, { recursive: true, force: true })
}
