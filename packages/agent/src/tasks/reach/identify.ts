import type { SignInTrial } from '#contract/report'
import type { Millis, SignedIn } from '#core'
import { keysFirst, type HostKey } from './hostKey'
import { run, signIn } from './ssh'
import { refusedText } from './refused'
import { insideScript } from '../../powershell/scripts'

// POSIX words, but for the file that Linux distributions tell their name in (os-release(5)).
const question =
  'if [ "$(uname -s)" = Linux ] && [ -r /etc/os-release ]; then . /etc/os-release; echo "$PRETTY_NAME"; else uname -s; fi; uname -m; [ -e /usr/local/lib/custode-agent/custode-agent ] && echo agent || echo none'

/** What a host told, line by line: its system, its architecture, whether an agent is there. */
function toldBy(output: string): Pick<SignedIn, 'system' | 'agent'> {
  const [system = '', machine = '', agent = ''] = output.trim().split(/\r?\n/)
  return {
    system: `${system
      .replace(/ \(.*\)$/, '')
      .replace(/^Debian GNU\/Linux/, 'Debian')
      .replace(/^Microsoft /, '')
      .trim()}${machine ? `, ${machine}` : ''}`.slice(0, 120),
    agent: agent === 'agent',
  }
}

/** Asks with one sign-in after the other. `ask` gives null when that one is refused. */
async function askWithEach(
  trials: readonly SignInTrial[],
  key: HostKey,
  ask: (trial: SignInTrial) => Promise<string | null>,
): Promise<SignedIn> {
  const nothing = (reason: string): SignedIn => ({
    trial: null,
    system: '',
    agent: false,
    hostKey: key.shown,
    reason: reason.slice(0, 300),
  })
  try {
    for (const trial of trials) {
      const output = await ask(trial)
      if (output !== null) return { trial: trial.id, ...toldBy(output), hostKey: key.shown, reason: '' }
    }
    return nothing(trials.length ? refusedText(trials) : 'Windows takes passwords, and no sign-in given here has one.')
  } catch (error) {
    return nothing((error as Error).message)
  }
}

/**
 * Signs in at a host over SSH with the first trial that is taken, keys before passwords, and looks what it is; changes
 * nothing there. A host that shows another key than the accepted one gets nothing secret.
 * @param within for each of its answers
 */
export function identify(
  address: string,
  trials: readonly SignInTrial[],
  key: HostKey,
  within?: Millis,
): Promise<SignedIn> {
  return askWithEach(keysFirst(trials), key, async (trial) => {
    const client = await signIn(address, key, trial, within)
    if (!client) return null
    try {
      return (await run(client, question, within === undefined ? {} : { within })).output
    } finally {
      client.destroy()
    }
  })
}

/** The same over Windows' remote management; a certificate stands where a host key does. */
export async function identifyWindows(
  address: string,
  trials: readonly SignInTrial[],
  key: HostKey,
  within?: Millis,
): Promise<SignedIn> {
  const { Wsman } = await import('./wsman')
  return askWithEach(
    trials.filter((trial) => trial.password !== undefined),
    key,
    async (trial) => {
      const machine = new Wsman({
        address,
        user: trial.user,
        password: trial.password!,
        key,
        ...(within === undefined ? {} : { within }),
      })
      const shell = await machine.open()
      if (shell === null) return null
      try {
        return (await machine.powershell(shell, insideScript)).output
      } finally {
        await machine.close(shell)
      }
    },
  )
}
