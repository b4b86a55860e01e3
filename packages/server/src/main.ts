import { randomUUID } from 'node:crypto'
import { readFileSync } from 'node:fs'
import type { Server } from 'node:https'
import { hostname } from 'node:os'
import { addPerson } from './features/access'
import { buildApp } from './app'
import { firstRow, migrate, openPool } from './db'
import { openMailPort, startTimers, type MailPort } from './engine'
import { allJobs } from './jobs'
import { openVault } from './secrets/vault'
import { noteFault } from './store/health'
import { isLoopback, readPublicAddress, type PublicAddress } from './http/transport'

function need(name: string): string {
  const value = process.env[name]
  return value || fail(`${name} is not set. ./custode sets it; see docs/architecture.md to run the server by itself.`)
}

function fail(sentence: string): never {
  process.stderr.write(`${sentence}\n`)
  process.exit(1)
}

const databaseUrl = need('CUSTODE_DATABASE')
const port = Number(process.env.CUSTODE_PORT ?? 7700)
// What people ask, what agents ask, and what is done unasked have connections of their own: none waits for another.
const [pool, machines, unasked] = [openPool(databaseUrl, 8), openPool(databaseUrl, 8), openPool(databaseUrl, 6)]
await migrate(pool, need('CUSTODE_MIGRATIONS'), Date.now()).catch((error: unknown) =>
  fail(`The database cannot be made ready: ${(error as Error).message}`),
)

// The first lead comes from the environment, once; everybody else is added by a lead.
const first = process.env.CUSTODE_FIRST_LEAD?.split('\n')
if (first?.length === 3 && !(await firstRow(pool, 'select 1 from person limit 1')))
  await addPerson(pool, { email: first[0]!, name: first[1]!, password: first[2]!, access: 'lead', clientIds: null })

/** A file that a setting names. */
function fileOf(name: string): string | undefined {
  const file = process.env[name]
  try {
    return file && readFileSync(file, 'utf8')
  } catch (error) {
    return fail(`${name} names a file that cannot be read: ${(error as Error).message}`)
  }
}

function readTls(): { key: string; cert: string } | undefined {
  const [key, cert] = [fileOf('CUSTODE_TLS_KEY'), fileOf('CUSTODE_TLS_CERTIFICATE')]
  if (Boolean(key) !== Boolean(cert))
    fail('CUSTODE_TLS_KEY and CUSTODE_TLS_CERTIFICATE belong together: set both, or none.')
  return key && cert ? { key, cert } : undefined
}

/** Certificate and key are renewed while the server runs; what cannot be used leaves those before in force. */
function renewTls(): void {
  try {
    const [key, cert] = ['CUSTODE_TLS_KEY', 'CUSTODE_TLS_CERTIFICATE'].map((name) => readFileSync(need(name), 'utf8'))
    ;(app.server as unknown as Server).setSecureContext({ key, cert })
    app.log.info('certificate and key were read anew')
  } catch (error) {
    app.log.error({ err: error }, 'certificate and key cannot be used; those before stay in force')
  }
}

const host = process.env.CUSTODE_HOST ?? '127.0.0.1'
const tls = readTls()
if (!tls && !isLoopback(host))
  fail(
    `CUSTODE_HOST is ${host}, and there is no certificate: passwords and keys would cross the network in the open. Set CUSTODE_TLS_KEY and CUSTODE_TLS_CERTIFICATE, or leave the host at 127.0.0.1 and put a proxy with a certificate before it.`,
  )
if (!process.env.CUSTODE_ADDRESS && !isLoopback(host))
  fail('CUSTODE_ADDRESS is not set: it is how machines and people reach this server, such as https://custode.example')

function readAddress(): PublicAddress {
  try {
    return readPublicAddress(
      process.env.CUSTODE_ADDRESS ?? `${tls ? 'https' : 'http'}://127.0.0.1:${port}`,
      fileOf('CUSTODE_CA') ?? null,
    )
  } catch (error) {
    return fail(`CUSTODE_ADDRESS or CUSTODE_CA: ${(error as Error).message}`)
  }
}

const address = readAddress()
let stopping = false
const keyFolder = need('CUSTODE_KEYS')
const app = await buildApp({
  address,
  tls,
  pool,
  machines,
  databaseUrl,
  log: true,
  webFolder: process.env.CUSTODE_WEB,
  agentFolder: process.env.CUSTODE_AGENTS,
  keyFolder,
  interval: process.env.CUSTODE_INTERVAL ? Number(process.env.CUSTODE_INTERVAL) : undefined,
  pastWindows: process.env.CUSTODE_PAST_WINDOWS === '1',
})
try {
  await app.listen({ port, host })
} catch (error) {
  const taken = (error as NodeJS.ErrnoException).code === 'EADDRINUSE'
  process.stderr.write(
    taken ? `Port ${port} is in use by another program. Choose another with CUSTODE_PORT.\n` : `${String(error)}\n`,
  )
  process.exit(1)
}
/** Where mail from clients’ people is taken; of several processes on one machine by the one that is there first. */
let mail: MailPort | null = null
const triedAgain = 10_000
/** @param isFirst what goes on to be so is not told again and again */
async function openMail(isFirst = true): Promise<void> {
  const port = Number(process.env.CUSTODE_MAIL_PORT ?? 0)
  if (!port || stopping) return
  const host = process.env.CUSTODE_MAIL_HOST ?? '127.0.0.1'
  try {
    mail = await openMailPort(unasked, { port, host }, { name: new URL(address.url).hostname, tls })
    self.mailPort = mail.port
  } catch (error) {
    const isTaken = (error as NodeJS.ErrnoException).code === 'EADDRINUSE'
    if (!isTaken) await noteFault(unasked, 'mail from clients', error)
    if (isFirst) app.log.info({ err: error }, `mail is not taken at ${host}, port ${port}; it is tried again`)
    setTimeout(() => void openMail(false), triedAgain).unref()
  }
}
const sending = { vault: openVault(keyFolder), origin: address.url }
const self = {
  id: randomUUID(),
  name: `${hostname()}, port ${port}`,
  version: process.env.CUSTODE_VERSION ?? '',
  mailPort: null as number | null,
}
await openMail()
const stopTimers = startTimers(allJobs(unasked, sending, self), {
  error(fields, text) {
    app.log.error(fields, text)
    const { err, timer } = fields as { err?: unknown; timer?: string }
    void noteFault(unasked, `timer ${timer ?? ''}`, err ?? text)
  },
})

async function stop(): Promise<void> {
  if (stopping) return
  stopping = true
  // Browsers keep their event stream open; they come back by themselves.
  app.server.closeAllConnections()
  await app.close()
  await mail?.close()
  await stopTimers()
  await Promise.all([pool, machines, unasked].map((each) => each.end()))
  process.exit(0)
}
if (tls) process.on('SIGHUP', renewTls)
process.on('SIGTERM', () => void stop())
process.on('SIGINT', () => void stop())
