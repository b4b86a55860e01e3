import { readFileSync } from 'node:fs'
import { parseArgs } from 'node:util'
import type { ExportedPolicy, Problem, TextTrial } from '#contract'
import { countText, noNames, type KnownEstate, type References } from '#core'
import { stepsOfText } from './features/policy/textSteps'

/**
 * Policy as text from a shell, for people who keep it in a repository: `check FILE` says what is wrong by line and what
 * would change, `export` prints what is in force. Exit status 0: nothing is wrong; 1: something is; 2: it could not be
 * tried.
 */
const usage = `usage: ./custode policy check FILE [--offline]
       ./custode policy export

  Asks the server at CUSTODE_URL, signed in as CUSTODE_EMAIL with CUSTODE_PASSWORD (the demo, where they are not set).
  --offline   ask no server: the form, the watches and their values are checked, names of clients and devices are not
`
const say = (text: string) => void process.stdout.write(`${text}\n`)
const complain = (text: string): number => {
  process.stderr.write(`${text}\n`)
  return 2
}

/** Where no server is asked every name may be one. */
const anything: References = {
  client: () => null,
  site: () => null,
  device: () => null,
  person: () => null,
  clientOf: () => 1,
  siteOf: () => 1,
  deviceOf: () => 1,
  personOf: () => 1,
}
const somewhere: KnownEstate = {
  ...noNames,
  client: () => '',
  site: () => '',
  role: () => '',
  device: () => '',
  siteClient: () => null,
}

async function call<T>(
  method: string,
  path: string,
  cookie: string,
  body?: unknown,
): Promise<{ answer: T; cookie: string }> {
  const response = await fetch(`${process.env.CUSTODE_URL}${path}`, {
    method,
    headers: { cookie, ...(body ? { 'content-type': 'application/json' } : {}) },
    ...(body ? { body: JSON.stringify(body) } : {}),
  })
  const answer: unknown = await response.json()
  if (!response.ok) throw new Error((answer as Problem).detail)
  return { answer: answer as T, cookie: response.headers.get('set-cookie')?.split(';')[0] ?? cookie }
}

const signIn = async () =>
  (await call('POST', '/api/session', '', { email: process.env.CUSTODE_EMAIL, password: process.env.CUSTODE_PASSWORD }))
    .cookie

function tellFaults(file: string, faults: readonly { line: number; message: string }[]): number {
  for (const fault of faults) say(`${file}:${fault.line}: ${fault.message}`)
  say(`${countText(faults.length, 'fault')}. Nothing can be applied.`)
  return 1
}

function tellTrial({ steps, impact }: TextTrial): void {
  const sign = { made: '+', changed: '~', removed: '-' } as const
  for (const step of steps) {
    say(`${sign[step.change]} ${step.of} ${step.name}`)
    for (const words of step.words) say(`    ${words}`)
  }
  if (!steps.length) say('It says what is in force. Nothing would change.')
  else if (impact)
    say(
      `${countText(impact.devices, 'device')} at ${countText(impact.clients, 'client')}: ${impact.added} watches added, ${impact.removed} removed, ${impact.altered} altered.`,
    )
}

async function check(file: string, offline: boolean): Promise<number> {
  let text
  try {
    text = readFileSync(file, 'utf8')
  } catch (error) {
    return complain(`${file} cannot be read: ${(error as Error).message}`)
  }
  if (offline) {
    const { faults } = stepsOfText(text, { templates: [], assignments: [], exceptions: [] }, anything, somewhere, '')
    if (faults.length) return tellFaults(file, faults)
    say('Nothing is wrong with it, as far as can be told without a server.')
    return 0
  }
  const { answer } = await call<TextTrial>('POST', '/api/policy/text/check', await signIn(), { text, note: '' })
  if (answer.faults.length) return tellFaults(file, answer.faults)
  tellTrial(answer)
  return 0
}

async function main(): Promise<number> {
  const {
    values,
    positionals: [command, file, ...more],
  } = parseArgs({ allowPositionals: true, options: { offline: { type: 'boolean', default: false } } })
  if (command === 'export' && file === undefined) {
    process.stdout.write((await call<ExportedPolicy>('GET', '/api/policy/text', await signIn())).answer.text)
    return 0
  }
  if (command === 'check' && file !== undefined && more.length === 0) return check(file, values.offline)
  return complain(usage)
}

try {
  process.exitCode = await main()
} catch (error) {
  const away = (error as { cause?: { code?: string } }).cause?.code === 'ECONNREFUSED'
  process.exitCode = complain(
    away
      ? `No server answers at ${process.env.CUSTODE_URL}. Start it, set CUSTODE_URL, or add --offline.`
      : (error as Error).message,
  )
}
