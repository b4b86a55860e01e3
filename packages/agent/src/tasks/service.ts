import { statSync } from 'node:fs'
import { setTimeout as wait } from 'node:timers/promises'
import type { ServiceProgress, ServiceCommand } from '#contract/report'
import { hour, second, type Millis, type Service, type ServiceAction } from '#core'
import { steady } from '../clock'
import { command } from '../collectors/command'
import { serviceManager, servicesCollector } from '../collectors/linux/services'
import { onWindows, unitName, user } from '../install/place'
import { windowsServices } from '../collectors/windows/snapshot'
import { powershell } from '../powershell/powershell'
import { serviceScript } from '../powershell/scripts'

/** How services are looked at and acted on here. */
export interface ServiceHands {
  list(): Promise<Service[]>
  /** Rejects with the system's last words. */
  act(action: ServiceAction): Promise<void>
}

const patience: Millis = 15 * second
const pollEvery: Millis = second
const noRights =
  /interactive authentication required|access (is )?denied|permission denied|not permitted|must be (run as )?root|superuser/i

function isAs({ state }: Service, verb: ServiceAction['verb']): boolean {
  return verb === 'stop' ? state === 'stopped' || state === 'failed' : state === 'running' || state === 'finished'
}

const hands: ServiceHands = onWindows
  ? {
      list: windowsServices,
      act: async (action) => {
        await powershell(serviceScript(action))
      },
    }
  : {
      list: async () => (await servicesCollector().collect(Date.now())).facts?.services ?? [],
      async act({ verb, service }) {
        if (serviceManager() === 'systemd')
          await command('systemctl', ['--no-ask-password', '--no-pager', verb, '--', `${service}.service`])
        else await command('/usr/sbin/service', [service, verb])
      },
    }

/** Starts, stops or restarts one service that there is on this machine, and tells how it was before and is after. */
export async function actOnService(
  { verb, service }: ServiceCommand,
  { list, act }: ServiceHands = hands,
  within: Millis = patience,
): Promise<ServiceProgress> {
  const find = async () => (await list()).find((candidate) => candidate.name === service)
  const failed = (before: string, after: string, reason: string, hopeless: boolean): ServiceProgress => ({
    state: 'failed',
    before,
    after,
    reason: reason.slice(0, 900),
    hopeless,
  })
  // Only what is on the machine's own list is ever handed to a program of the system.
  const before = await find()
  if (!before) return failed('', '', `there is no service “${service}” here`, true)
  if (service === user) return failed(before.state, before.state, 'an agent does not stop itself', true)
  let trouble = ''
  try {
    await act({ verb, service })
  } catch (error) {
    trouble = (error as Error).message
    if (noRights.test(trouble)) return failed(before.state, before.state, `the agent has no right to: ${trouble}`, true)
  }
  for (const end = Date.now() + within; ;) {
    const after = await find()
    if (after && isAs(after, verb))
      return { state: 'done', before: before.state, after: after.state, reason: '', hopeless: false }
    if (trouble || Date.now() >= end)
      return failed(
        before.state,
        after?.state ?? 'gone',
        trouble || `it did not ${verb} within ${within / second} s`,
        false,
      )
    await wait(Math.min(pollEvery, within))
  }
}

/**
 * Whether a service has come to this machine since this program was started: then the rule that names what it may act
 * on does not name it yet, and does after another start.
 */
export async function hasComeSince(service: string): Promise<boolean> {
  if (onWindows || serviceManager() !== 'systemd') return false
  try {
    const file = (
      await command('systemctl', [
        'show',
        '--no-pager',
        '--property=FragmentPath',
        '--value',
        '--',
        `${service}.service`,
      ])
    ).trim()
    // Packages bring their files with an old date; when they were put there is what changed last of them.
    return file !== '' && statSync(file).ctimeMs > Date.now() - process.uptime() * second
  } catch {
    return false
  }
}

/**
 * Whether this program may start and stop services here, found out by asking for something that changes nothing: to
 * start itself, which runs. Whatever gives or takes the right on a machine, it shows by this.
 */
export async function mayAct(): Promise<boolean> {
  if (onWindows || process.getuid?.() === 0) return true
  if (serviceManager() !== 'systemd') return false
  try {
    await command('systemctl', ['--no-ask-password', '--no-pager', '--job-mode=fail', 'start', '--', unitName])
    return true
  } catch {
    return false
  }
}

const askAgain: Millis = hour

/**
 * What the program knows of its rights; looked up at the start, and from time to time, because they can be given and
 * taken.
 */
export class Rights {
  #may = false
  #askedAt: Millis | null = null
  #asking: Promise<void> | null = null

  /** The newest answer; asks anew where that is old. The first is waited for. */
  async remediates(): Promise<boolean> {
    if (this.#askedAt === null || steady() - this.#askedAt >= askAgain) {
      const isFirst = this.#askedAt === null
      this.#askedAt = steady()
      this.#asking = mayAct().then((may) => {
        this.#may = may
      })
      if (isFirst) await this.#asking
    }
    return this.#may
  }

  forget(): void {
    this.#askedAt = null
  }
}
