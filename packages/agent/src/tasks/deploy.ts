import type { Client as SshClient } from 'ssh2'
import type { DeployProgress, DeployCommand } from '#contract/report'
import { failureOfStatus } from '#core'
import { HostKey, keysFirst } from './reach/hostKey'
import { run, signIn } from './reach/ssh'
import { StoppedError } from './reach/stopped'
import { isOpen } from './sweep'
import { textOf, type Way } from '../uplink'
import { wsmanPort } from './reach/wsmanPort'
import { roomFault } from '../install/room'
import { refusedText } from './reach/refused'

// What the machine is, may and has; the same words on any POSIX system.
const survey = `uname -s; uname -m; id -u; if [ "$(id -u)" = 0 ]; then echo root; elif sudo -n true 2>/dev/null; then echo sudo; else echo none; fi; df -Pk /usr/local /var /tmp 2>/dev/null | awk 'NR > 1 { print $4 }' | sort -n | head -1`

/** @returns what comes before the command for it to run as root */
async function lookAround(client: SshClient): Promise<string> {
  const { output } = await run(client, survey)
  const [system = '', machine = '', , right = '', free = ''] = output.trim().split('\n')
  if (system !== 'Linux' || !/^(x86_64|amd64|aarch64|arm64)$/.test(machine))
    throw new StoppedError(
      'unsupported-system',
      `It runs ${system || 'something that does not say what it is'}${machine ? ` on ${machine}` : ''}; over SSH an agent can be installed on Linux, on x86-64 and ARM64.`,
    )
  if (right === 'none')
    throw new StoppedError(
      'no-rights',
      'This sign-in may neither install as itself nor use sudo without a password there.',
    )
  // df(1) counts in blocks of 1024 bytes.
  const fault = roomFault(Number(free) * 1024, 'its fullest disk')
  if (fault) throw new StoppedError('disk-full', fault)
  return right === 'root' ? '' : 'sudo -n '
}

async function bring(
  command: DeployCommand,
  way: Way,
  key: HostKey,
  report: (step: string) => void,
  opened: (client: SshClient) => void,
): Promise<DeployProgress> {
  const script = await textOf(way, '/agent/install.sh')
  for (const trial of keysFirst(command.trials)) {
    report(`signing in as ${trial.user}`)
    const client = await signIn(command.address, key, trial)
    if (!client) continue
    opened(client)
    report('looking around')
    const asRoot = await lookAround(client)
    report('downloading and installing')
    const quoted = (text: string) => `'${text.replaceAll("'", `'\\''`)}'`
    // The key goes in by the script's input: arguments can be read by everybody on the machine.
    const words = ['--no-run', ...(command.name === null ? [] : ['--name', quoted(command.name)])].join(' ')
    const { code, errors } = await run(client, `${asRoot}sh -s`, {
      input: `set -- ${quoted(command.enrolmentKey)} ${words}\n${script}`,
      heard: (line) => report(line.slice(0, 100)),
      within: command.within,
    })
    if (code !== 0) {
      const last = errors.trim().split('\n').pop() || `the script ended with ${code}`
      throw new StoppedError(failureOfStatus(code), last.replace(/^custode-agent: /, ''))
    }
    return { state: 'done', step: 'installed', failure: null, reason: '', hostKey: key.shown, trial: trial.id }
  }
  throw new StoppedError(
    'sign-in-refused',
    command.trials.length ? refusedText(command.trials) : 'No sign-in was given.',
  )
}

/** Brings an agent to a machine, step by step. Never throws: what stopped it is in the news. */
export async function deploy(
  command: DeployCommand,
  way: Way,
  report: (step: string, hostKey: string | null) => void,
): Promise<DeployProgress> {
  let client: SshClient | null = null
  const key = new HostKey(command.hostKey, command.passwordsToUnknown)
  let timer: NodeJS.Timeout | undefined
  const tooLate = new Promise<never>((_, reject) => {
    timer = setTimeout(
      () => reject(new StoppedError('timed-out', `It took longer than ${Math.round(command.within / 60_000)} min.`)),
      command.within,
    )
  })
  try {
    const heard = (step: string) => {
      report(step, key.shown)
    }
    // Where SSH is closed and Windows' remote management is not, that is the way.
    const windows = !(await isOpen(command.address, 22)) && (await isOpen(command.address, wsmanPort))
    return await Promise.race([
      windows
        ? (await import('./deployWindows')).bringToWindows(command, way, key, heard)
        : bring(command, way, key, heard, (session) => {
            client = session
          }),
      tooLate,
    ])
  } catch (error) {
    return {
      state: 'failed',
      step: '',
      failure: error instanceof StoppedError ? error.failure : 'something-else',
      reason: (error as Error).message.slice(0, 1000),
      hostKey: key.shown,
      trial: null,
    }
  } finally {
    clearTimeout(timer)
    ;(client as SshClient | null)?.destroy()
  }
}
