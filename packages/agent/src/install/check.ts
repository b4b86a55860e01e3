import { execFileSync } from 'node:child_process'
import { existsSync, lstatSync, readdirSync, statSync } from 'node:fs'
import { join } from 'node:path'
import type { AgentSelf } from '#contract/report'
import { ageText, countText } from '#core'
import { allCollectors, NotHereError, serviceManager } from '../collectors'
import { identityFile, readIdentity, type Identity } from '../identity/identity'
import { onWindows, placeAt } from './place'
import { call, RefusedError } from '../uplink'
import { windowsPlace } from './windows'

export interface Finding {
  good: boolean
  text: string
}

function checkKeyFile(home: string): Finding {
  // There rights are lists, and the installation gives the folder to the system and administrators alone.
  if (onWindows) return { good: true, text: 'the device key lies in a folder of the system’s own' }
  const mode = statSync(identityFile(home)).mode & 0o777
  return mode & 0o077
    ? {
        good: false,
        text: `the device key can be read by others (mode ${mode.toString(8)}): chmod 600 ${identityFile(home)}`,
      }
    : { good: true, text: 'the device key is readable by its owner only' }
}

async function checkServer(identity: Identity): Promise<Finding[]> {
  const { server } = identity
  try {
    const { body, date } = await call<AgentSelf>(identity, 'GET', '/api/agent/self', undefined, identity.deviceKey)
    const findings = [
      {
        good: true,
        text: `${server} knows this machine as ${body.deviceName} of ${body.clientName}, ${body.siteName}`,
      },
    ]
    const off = date === null ? 0 : Date.now() - date
    findings.push(
      Math.abs(off) > 5000
        ? {
            good: false,
            text: `the clock is ${ageText(Math.abs(off))} ${off > 0 ? 'ahead of' : 'behind'} the server's: set it, or run a time service`,
          }
        : { good: true, text: 'the clock agrees with the server' },
    )
    if (body.refusedCount)
      findings.push({
        good: false,
        text: `the server has refused ${countText(body.refusedCount, 'part')} of what this machine sent, ${ageText(Date.now() - off - body.refused[0]!.at)} ago at last: ${body.refused[0]!.detail}`,
      })
    return findings
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code
    if (error instanceof RefusedError)
      return [{ good: false, text: `${server} answers, but refuses: ${error.message}` }]
    const hint: Record<string, string> = {
      ECONNREFUSED: 'nothing listens there, or a firewall refuses',
      ENOTFOUND: 'the name does not resolve here',
      EAI_AGAIN: 'the name does not resolve here',
      ETIMEDOUT: 'no answer; is the port closed on the way?',
      EHOSTUNREACH: 'there is no way to that network',
    }
    return [{ good: false, text: `${server} is not reached: ${hint[code ?? ''] ?? (error as Error).message}` }]
  }
}

/** Looks only: the folder is the agent's, and a check changes nothing in it. */
function checkSpool(home: string): Finding[] {
  const folder = join(home, 'spool')
  const names = existsSync(folder) ? readdirSync(folder) : []
  const waiting = names.filter((name) => name.endsWith('.json')).length
  const refused = names.filter((name) => name.endsWith('.refused')).length
  return [
    waiting > 3
      ? { good: false, text: `${waiting} reports wait to be sent` }
      : { good: true, text: 'no reports are waiting' },
    ...(refused
      ? [
          {
            good: false,
            text: `${countText(refused, 'report')} could not be taken by the server and lie in ${join(home, 'spool')}, named .refused`,
          },
        ]
      : []),
  ]
}

/**
 * Looks with the eyes of the agent, not with root's: what only root can read is none of its readings, and a link in
 * the agent's folder leads root nowhere.
 */
function asTheAgent(home: string): void {
  if (onWindows || process.getuid?.() !== 0 || !existsSync(home)) return
  const { uid, gid } = lstatSync(home)
  if (uid === 0) return
  process.setgroups!(
    execFileSync('id', ['-G', String(uid)], { encoding: 'utf8' })
      .trim()
      .split(' ')
      .map(Number),
  )
  process.setgid!(gid)
  process.setuid!(uid)
}

/** Everything that has to be right for readings to arrive, each with what to do when it is not. */
export async function check(home: string): Promise<Finding[]> {
  asTheAgent(home)
  const identity = readIdentity(home)
  if (!identity)
    return [
      {
        good: false,
        text: `not enrolled: there is no identity in ${home}. Run: custode-agent enroll --server URL --key KEY`,
      },
    ]
  const findings: Finding[] = [checkKeyFile(home), ...(await checkServer(identity))]
  findings.push(...checkSpool(home))
  const manager = onWindows ? 'windows' : serviceManager()
  if (onWindows)
    findings.push(
      existsSync(windowsPlace().task)
        ? { good: true, text: 'the agent starts at boot' }
        : {
            good: false,
            text: 'the agent does not start at boot: run custode-agent install again, as an administrator',
          },
    )
  else if (manager === null)
    findings.push({
      good: false,
      text: 'no service manager here: nothing starts the agent at boot, and no service is expected to run',
    })
  else if (manager === 'systemd') {
    const enabled = existsSync(placeAt('').wanted)
    findings.push(
      enabled
        ? { good: true, text: 'the agent starts at boot' }
        : { good: false, text: 'the agent does not start at boot: systemctl enable --now custode-agent' },
    )
  }
  for (const collector of allCollectors(null, false)) {
    try {
      await collector.collect(Date.now())
      findings.push({ good: true, text: `${collector.name} can be read` })
    } catch (error) {
      findings.push({ good: error instanceof NotHereError, text: `${collector.name}: ${(error as Error).message}` })
    }
  }
  return findings
}
