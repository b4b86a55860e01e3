import type { Client as SshClient } from 'ssh2'
import type { SignInTrial } from '#contract/report'
import type { SignedIn } from '#core'
import { run, signIn } from './ssh'

// POSIX words, but for the file that Linux distributions tell their name in (os-release(5)).
const question = '(. /etc/os-release 2>/dev/null && echo "$PRETTY_NAME" || uname -s); uname -m; [ -e /usr/local/lib/custode-agent/custode-agent ] && echo agent || echo none'

/**
 * Signs in at a host over SSH with the first trial that is taken, and looks what it is; changes nothing there. A host that
 * shows another key than before gets nothing secret.
 * @param hostKey what it showed before, or null
 */
export async function lookInside(address: string, trials: readonly SignInTrial[], hostKey: string | null): Promise<SignedIn> {
  let shown = hostKey
  const nothing = (reason: string): SignedIn => ({ trial: null, system: '', agent: false, hostKey: shown, reason: reason.slice(0, 300) })
  try {
    for (const trial of trials) {
      const client: SshClient | null = await signIn({ address, hostKey }, trial, (fingerprint) => { shown = fingerprint })
      if (!client) continue
      try {
        const [system = '', machine = '', agent = ''] = (await run(client, question)).output.trim().split('\n')
        return { trial: trial.id, system: `${system.replace(/ \(.*\)$/, '')}${machine ? `, ${machine}` : ''}`.slice(0, 120), agent: agent === 'agent', hostKey: shown, reason: '' }
      } finally {
        client.end()
      }
    }
    return nothing(`It refused ${trials.map((one) => one.user).join(', then ')}.`)
  } catch (error) {
    return nothing((error as Error).message)
  }
}
