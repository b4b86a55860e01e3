import type { DeployProgress, DeployCommand } from '#contract/report'
import { failureOfStatus } from '#core'
import type { HostKey } from './reach/hostKey'
import { StoppedError } from './reach/stopped'
import { textOf, type Way } from '../uplink'
import { installCall, surveyScript } from '../powershell/scripts'
import { Wsman } from './reach/wsman'
import { roomFault } from '../install/room'
import { refusedText } from './reach/refused'

interface Found {
  architecture: string
  administrator: boolean
  free: number
}

function check(output: string): void {
  if (!output.includes('{'))
    throw new StoppedError('something-else', 'It did not say what it is: Windows PowerShell told nothing.')
  const { architecture, administrator, free } = JSON.parse(output.slice(output.indexOf('{'))) as Found
  if (architecture !== 'AMD64')
    throw new StoppedError(
      'unsupported-system',
      `It runs Windows on ${architecture}; there is an agent for Windows on x86-64.`,
    )
  if (!administrator) throw new StoppedError('no-rights', 'This sign-in is no administrator there.')
  const fault = roomFault(free, 'its system disk')
  if (fault) throw new StoppedError('disk-full', fault)
}

/**
 * Why the script ended: the program's own words, or else the script's, which carry a status, because a script that is
 * run in somebody's window must not end that with one.
 */
function stoppedBy(errors: string, code: number): StoppedError {
  const ended = /custode-agent \[(\d+)\]: ([^\r\n]*)/.exec(errors)
  const words = /custode-agent: ([^\r\n]*)/.exec(errors)?.[1] ?? ended?.[2] ?? errors.trim().split(/\r?\n/)[0]
  return new StoppedError(failureOfStatus(Number(ended?.[1] ?? code)), words || `the script ended with ${code}`)
}

/** As over SSH, with the script for Windows. The certificate of the machine stands where a host key does. */
export async function bringToWindows(
  command: DeployCommand,
  way: Way,
  key: HostKey,
  report: (step: string) => void,
): Promise<DeployProgress> {
  const script = await textOf(way, '/agent/install.ps1')
  const passwords = command.trials.filter((trial) => trial.password !== undefined)
  for (const trial of passwords) {
    report(`signing in as ${trial.user}`)
    const machine = new Wsman({ address: command.address, user: trial.user, password: trial.password!, key })
    const shell = await machine.open()
    if (shell === null) continue
    try {
      report('looking around')
      check((await machine.powershell(shell, surveyScript)).output)
      report('downloading and installing')
      const { code, errors } = await machine.powershell(
        shell,
        installCall(script, command.enrolmentKey, command.name),
        command.within,
      )
      if (code !== 0) throw stoppedBy(errors, code)
      return { state: 'done', step: 'installed', failure: null, reason: '', hostKey: key.shown, trial: trial.id }
    } finally {
      await machine.close(shell)
    }
  }
  throw new StoppedError(
    'sign-in-refused',
    passwords.length ? refusedText(passwords) : 'Windows takes passwords, and no sign-in given here has one.',
  )
}
