import type { DeployNews, DeployOrder } from '#contract/report'
import type { FailureKind } from '#core'
import type { HostKey } from './reach/hostKey'
import { Stopped } from './reach/stopped'
import { textOf, type Way } from '../uplink'
import { installCall, surveyScript } from '../powershell/scripts'
import { Wsman } from './reach/wsman'

const needed = 250e6

interface Found {
  architecture: string
  administrator: boolean
  free: number
}

function check(output: string): void {
  if (!output.includes('{'))
    throw new Stopped('something else', 'It did not say what it is: Windows PowerShell told nothing.')
  const { architecture, administrator, free } = JSON.parse(output.slice(output.indexOf('{'))) as Found
  if (architecture !== 'AMD64')
    throw new Stopped(
      'unsupported system',
      `It runs Windows on ${architecture}; there is an agent for Windows on x86-64.`,
    )
  if (!administrator) throw new Stopped('no rights', 'This sign-in is no administrator there.')
  if (free < needed)
    throw new Stopped(
      'disk full',
      `Only ${Math.round(free / 1e6)} MB are free on its system disk; ${needed / 1e6} MB are needed.`,
    )
}

/** Kinds of the script's own last words. */
function failureOf(words: string): FailureKind {
  if (/not enough space|no room/i.test(words)) return 'disk full'
  if (/no agent for/i.test(words)) return 'unsupported system'
  if (/administrator|denied/i.test(words)) return 'no rights'
  if (/enrolment key|has a device named|already|No site declares/i.test(words)) return 'refused by the server'
  return 'something else'
}

/** As over SSH, with the script for Windows. The certificate of the machine stands where a host key does. */
export async function bringToWindows(
  order: DeployOrder,
  way: Way,
  key: HostKey,
  tell: (step: string) => void,
): Promise<DeployNews> {
  const script = await textOf(way, '/agent/install.ps1')
  const passwords = order.trials.filter((one) => one.password !== undefined)
  for (const trial of passwords) {
    tell(`signing in as ${trial.user}`)
    const machine = new Wsman({ address: order.address, user: trial.user, password: trial.password!, key })
    const shell = await machine.open()
    if (shell === null) continue
    try {
      tell('looking around')
      check((await machine.powershell(shell, surveyScript)).output)
      tell('downloading and installing')
      const { code, errors } = await machine.powershell(
        shell,
        installCall(script, order.enrolmentKey, order.name),
        order.within,
      )
      if (code !== 0) {
        const words =
          errors
            .trim()
            .split(/\r?\n/)
            .find((line) => line.includes('custode-agent:')) ??
          errors.trim().split(/\r?\n/)[0] ??
          ''
        throw new Stopped(failureOf(words), words.replace(/^.*custode-agent: /, '') || `the script ended with ${code}`)
      }
      return { state: 'done', step: 'installed', failure: null, reason: '', hostKey: key.shown, trial: trial.id }
    } finally {
      await machine.close(shell)
    }
  }
  throw new Stopped(
    'sign-in refused',
    passwords.length
      ? `It refused ${passwords.map((one) => one.user).join(', then ')}.`
      : 'Windows takes passwords, and no sign-in given here has one.',
  )
}
