import { setTimeout as wait } from 'node:timers/promises'
import type { AgentSettings, ChangeAnswer } from '#contract/report'
import { minute, type Millis } from '#core'
import type { Identity } from '../identity/identity'
import { call, RefusedError } from '.'

const firstPause: Millis = 15_000
/** Seconds that the server may wait with its answer, and how long it may send nothing meanwhile. */
const longestWait = 600
const silence: Millis = 100_000
const longestPause: Millis = 2 * minute

/**
 * How long to wait after so many failures in a row: longer each time, and each agent for a time of its own, because a
 * server that restarts is left by all of them in the same moment, and must not have them all back in another.
 * @param random from 0 to 1
 */
export function pauseAfter(failures: number, random = Math.random()): Millis {
  return Math.min(longestPause, firstPause * 2 ** (failures - 1)) * (0.2 + random)
}

/**
 * Waits at the server to be told of a change, so that it counts within seconds and not with the next report. Saying
 * which roster it works by is the confirmation of it.
 * @param stop ends the waiting at once: a program that shall end does not wait for an answer
 * @param report asks for a report at once, for what is only handed over with its receipt
 */
export async function awaitChange(
  identity: Identity,
  follow: (settings: AgentSettings) => Promise<void>,
  report: () => void,
  stop: AbortSignal,
): Promise<void> {
  let failures = 0
  while (!stop.aborted) {
    try {
      const { body } = await call<ChangeAnswer>(
        identity,
        'POST',
        '/api/agent/changes',
        { roster: identity.roster ?? '' },
        identity.deviceKey,
        { stop, wait: longestWait, idle: silence },
      )
      if (stop.aborted) return
      failures = 0
      await follow(body.settings)
      if (body.work) {
        report()
        await wait(1000, undefined, { signal: stop }).catch(() => undefined)
      }
    } catch (error) {
      // A server from before there was anything to wait at.
      if (error instanceof RefusedError && error.status === 404) return
      await wait(pauseAfter(++failures), undefined, { signal: stop }).catch(() => undefined)
    }
  }
}
