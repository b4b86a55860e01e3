import { createHash } from 'node:crypto'
import type { Client as SshClient, ConnectConfig } from 'ssh2'
import type { DeployNews, DeployOrder, SignInTrial } from '#contract/report'
import type { FailureKind } from '#core'
import { textOf } from './uplink'

/** Ends the way to a machine, with the kind that a technician acts on. */
class Stopped extends Error {
  constructor(readonly failure: FailureKind, reason: string) { super(reason) }
}

const answerWithin = 10_000
const needed = 250_000

interface Ran { code: number | null; output: string; errors: string }

function run(client: SshClient, command: string, input = '', heard: (line: string) => void = () => undefined): Promise<Ran> {
  return new Promise((resolve, reject) => {
    client.exec(command, (error, channel) => {
      if (error) return reject(error)
      let output = ''
      let errors = ''
      channel.on('data', (chunk: Buffer) => {
        output = (output + chunk.toString()).slice(-8000)
        for (const line of chunk.toString().split('\n')) if (line.trim()) heard(line.trim())
      })
      channel.stderr.on('data', (chunk: Buffer) => { errors = (errors + chunk.toString()).slice(-4000) })
      channel.on('close', (code: number | null) => resolve({ code, output, errors }))
      channel.end(input)
    })
  })
}

/** Signs in with one trial. Null: refused, the next may do. The key of the host is looked at before anything secret is sent. */
async function signIn(order: DeployOrder, trial: SignInTrial, met: (fingerprint: string) => void): Promise<SshClient | null> {
  const { Client } = await import('ssh2')
  const client = new Client()
  let stopped: Stopped | null = null
  const config: ConnectConfig = {
    host: order.address, port: 22, username: trial.user, readyTimeout: answerWithin, ...(trial.password === undefined ? {} : { password: trial.password }), ...(trial.privateKey === undefined ? {} : { privateKey: trial.privateKey }),
    hostVerifier: (key: Buffer) => {
      const fingerprint = createHash('sha256').update(key).digest('base64')
      if (order.hostKey !== null && order.hostKey !== fingerprint) {
        stopped = new Stopped('host key changed', 'The machine shows another host key than before. It was reinstalled, or something stands in its place. Nothing secret was sent to it.')
        return false
      }
      met(fingerprint)
      return true
    },
  }
  return new Promise((resolve, reject) => {
    client.on('ready', () => resolve(client))
    client.on('error', (error: Error & { level?: string }) => {
      client.end()
      if (stopped) reject(stopped)
      else if (error.level === 'client-authentication') resolve(null)
      else if (error.level === 'client-timeout') reject(new Stopped('timed out', `It accepted the connection, but said nothing for ${answerWithin / 1000} s.`))
      else reject(new Stopped('no answer', `Nothing answers as SSH at ${order.address}, port 22: ${error.message}`))
    })
    try {
      client.connect(config)
    } catch (error) {
      reject(new Stopped('sign-in refused', `The stored private key cannot be read: ${(error as Error).message}`))
    }
  })
}

// What the machine is, may and has; the same words on any POSIX system.
const survey = `uname -s; uname -m; id -u; if [ "$(id -u)" = 0 ]; then echo root; elif sudo -n true 2>/dev/null; then echo sudo; else echo none; fi; df -Pk /usr/local /var /tmp 2>/dev/null | awk 'NR > 1 { print $4 }' | sort -n | head -1`

/** @returns what comes before the command for it to run as root */
async function lookAround(client: SshClient): Promise<string> {
  const { output } = await run(client, survey)
  const [system = '', machine = '', , right = '', free = ''] = output.trim().split('\n')
  if (system !== 'Linux' || !/^(x86_64|amd64|aarch64|arm64)$/.test(machine)) throw new Stopped('unsupported system', `It runs ${system || 'something that does not say what it is'}${machine ? ` on ${machine}` : ''}; there is an agent for Linux on x86-64 and ARM64.`)
  if (right === 'none') throw new Stopped('no rights', 'This sign-in may neither install as itself nor use sudo without a password there.')
  if (Number(free) < needed) throw new Stopped('disk full', `Only ${Math.round(Number(free) / 1000)} MB are free on its fullest disk; ${needed / 1000} MB are needed.`)
  return right === 'root' ? '' : 'sudo -n '
}

/** Kinds of the script's own last words. */
function failureOf(words: string): FailureKind {
  if (/no room|No space left/i.test(words)) return 'disk full'
  if (/not supported|no agent for/i.test(words)) return 'unsupported system'
  if (/Permission denied|needs root/i.test(words)) return 'no rights'
  if (/enrolment key|has a device named|already|No site declares/i.test(words)) return 'refused by the server'
  return 'something else'
}

async function bring(order: DeployOrder, server: string, tell: (step: string, hostKey: string | null) => void, opened: (client: SshClient) => void): Promise<DeployNews> {
  let hostKey: string | null = null
  const script = await textOf(server, '/agent/install.sh')
  for (const trial of order.trials) {
    tell(`signing in as ${trial.user}`, hostKey)
    const client = await signIn(order, trial, (fingerprint) => { hostKey = fingerprint })
    if (!client) continue
    opened(client)
    tell('looking around', hostKey)
    const asRoot = await lookAround(client)
    tell('downloading and installing', hostKey)
    const quoted = (text: string) => `'${text.replaceAll("'", `'\\''`)}'`
    // The key goes in by the script's input: arguments can be read by everybody on the machine.
    const words = ['--no-run', ...(order.name === null ? [] : ['--name', quoted(order.name)])].join(' ')
    const { code, errors } = await run(client, `${asRoot}sh -s`, `set -- ${quoted(order.enrolmentKey)} ${words}\n${script}`, (line) => tell(line.slice(0, 100), hostKey))
    if (code !== 0) {
      const last = errors.trim().split('\n').pop() || `the script ended with ${code}`
      throw new Stopped(failureOf(last), last.replace(/^custode-agent: /, ''))
    }
    return { state: 'done', step: 'installed', failure: null, reason: '', hostKey, trial: trial.id }
  }
  throw new Stopped('sign-in refused', order.trials.length ? `It refused ${order.trials.map((one) => one.user).join(', then ')}.` : 'No sign-in was given.')
}

/** Brings an agent to a machine, step by step. Never throws: what stopped it is in the news. */
export async function deploy(order: DeployOrder, server: string, tell: (step: string, hostKey: string | null) => void): Promise<DeployNews> {
  let client: SshClient | null = null
  let hostKey: string | null = null
  let timer: NodeJS.Timeout | undefined
  const tooLate = new Promise<never>((_, reject) => {
    timer = setTimeout(() => reject(new Stopped('timed out', `It took longer than ${Math.round(order.within / 60_000)} min.`)), order.within)
  })
  try {
    return await Promise.race([bring(order, server, (step, key) => { hostKey = key; tell(step, key) }, (one) => { client = one }), tooLate])
  } catch (error) {
    return { state: 'failed', step: '', failure: error instanceof Stopped ? error.failure : 'something else', reason: (error as Error).message.slice(0, 1000), hostKey, trial: null }
  } finally {
    clearTimeout(timer)
    ;(client as SshClient | null)?.end()
  }
}
