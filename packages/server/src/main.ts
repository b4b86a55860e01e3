import { addPerson } from './features/access'
import { buildApp } from './app'
import { firstRow, migrate, openPool } from './db'
import { startTimers } from './engine'

function need(name: string): string {
  const value = process.env[name]
  if (!value) {
    process.stderr.write(`${name} is not set. ./custode sets it; see docs/architecture.md to run the server by itself.\n`)
    process.exit(1)
  }
  return value
}

const databaseUrl = need('CUSTODE_DATABASE')
const port = Number(process.env.CUSTODE_PORT ?? 7700)
const pool = openPool(databaseUrl)
await migrate(pool, need('CUSTODE_MIGRATIONS'), Date.now())

// The first lead comes from the environment, once; everybody else is added by a lead.
const first = process.env.CUSTODE_FIRST_LEAD?.split('\n')
if (first?.length === 3 && !(await firstRow(pool, 'select 1 from person limit 1')))
  await addPerson(pool, { email: first[0]!, name: first[1]!, password: first[2]!, access: 'lead', clientIds: null })

const app = await buildApp({
  pool, databaseUrl, log: true,
  webFolder: process.env.CUSTODE_WEB, agentFolder: process.env.CUSTODE_AGENTS, keyFolder: need('CUSTODE_KEYS'),
  interval: process.env.CUSTODE_INTERVAL ? Number(process.env.CUSTODE_INTERVAL) : undefined,
  pastWindows: process.env.CUSTODE_PAST_WINDOWS === '1',
})
try {
  await app.listen({ port, host: process.env.CUSTODE_HOST ?? '127.0.0.1' })
} catch (error) {
  const taken = (error as NodeJS.ErrnoException).code === 'EADDRINUSE'
  process.stderr.write(taken ? `Port ${port} is in use by another program. Choose another with CUSTODE_PORT.\n` : `${String(error)}\n`)
  process.exit(1)
}
const stopTimers = startTimers(pool, app.log)

let stopping = false
async function stop(): Promise<void> {
  if (stopping) return
  stopping = true
  // Browsers keep their event stream open; they come back by themselves.
  app.server.closeAllConnections()
  await app.close()
  await stopTimers()
  await pool.end()
  process.exit(0)
}
process.on('SIGTERM', () => void stop())
process.on('SIGINT', () => void stop())
