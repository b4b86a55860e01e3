import { createHash } from 'node:crypto'
import type { Client as SshClient, ConnectConfig } from 'ssh2'
import type { SignInTrial } from '#contract/report'
import { durationText, type Millis } from '#core'
import type { HostKey } from './hostKey'
import { inTime, StoppedError } from './stopped'

const answerWithin: Millis = 10_000
const commandWithin: Millis = 30_000

export interface Ran {
  code: number | null
  output: string
  errors: string
}

interface RunOptions {
  input?: string
  heard?: (line: string) => void
  /** For the whole of it; then the connection is closed. */ within?: Millis
}

/**
 * Runs a command on a machine that was signed in at.
 * @returns its exit status (null: ended by a signal), the last 8000 characters of its output and the last 4000 of its
 * errors
 * @throws StoppedError timed out
 */
export function run(
  client: SshClient,
  command: string,
  { input = '', heard = () => undefined, within = commandWithin }: RunOptions = {},
): Promise<Ran> {
  return inTime(
    new Promise<Ran>((resolve, reject) => {
      client.exec(command, (error, channel) => {
        if (error) return reject(error)
        let output = ''
        let errors = ''
        channel.on('data', (chunk: Buffer) => {
          output = (output + chunk.toString()).slice(-8000)
          for (const line of chunk.toString().split('\n')) if (line.trim()) heard(line.trim())
        })
        channel.stderr.on('data', (chunk: Buffer) => {
          errors = (errors + chunk.toString()).slice(-4000)
        })
        channel.on('close', (code: number | null) => resolve({ code, output, errors }))
        channel.end(input)
      })
    }),
    within,
    () => {
      client.destroy()
    },
  )
}

/**
 * Signs in with one trial. Null: refused, the next may do. The key of the host is looked at before anything secret is
 * sent.
 */
export async function signIn(
  address: string,
  key: HostKey,
  trial: SignInTrial,
  within: Millis = answerWithin,
): Promise<SshClient | null> {
  const { Client } = await import('ssh2')
  const client = new Client()
  let stopped: StoppedError | null = null
  const config: ConnectConfig = {
    host: address,
    port: 22,
    username: trial.user,
    readyTimeout: within,
    ...(trial.password === undefined ? {} : { password: trial.password }),
    ...(trial.privateKey === undefined ? {} : { privateKey: trial.privateKey }),
    hostVerifier: (shown: Buffer) => {
      try {
        key.meet(createHash('sha256').update(shown).digest('base64'))
        if (trial.password !== undefined) key.requirePasswords()
        return true
      } catch (error) {
        stopped = error as StoppedError
        return false
      }
    },
  }
  return new Promise((resolve, reject) => {
    client.on('ready', () => resolve(client))
    client.on('error', (error: Error & { level?: string }) => {
      client.destroy()
      if (stopped) reject(stopped)
      else if (error.level === 'client-authentication') resolve(null)
      else if (error.level === 'client-timeout')
        reject(
          new StoppedError('timed-out', `It accepted the connection, but said nothing for ${durationText(within)}.`),
        )
      else reject(new StoppedError('no-answer', `Nothing answers as SSH at ${address}, port 22: ${error.message}`))
    })
    try {
      client.connect(config)
    } catch (error) {
      reject(new StoppedError('sign-in-refused', `The stored private key cannot be read: ${(error as Error).message}`))
    }
  })
}
