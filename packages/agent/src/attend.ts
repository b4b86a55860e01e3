import { setTimeout as wait } from 'node:timers/promises'
import type { AgentSettings, Attended } from '#contract/report'
import type { Identity } from './identity'
import { call, Refused } from './uplink'

const pauseAfterTrouble = 15_000

/**
 * Waits at the server to be told of a change, so that it counts within seconds and not with the next report. Saying which
 * roster it works by is the confirmation of it.
 * @param stop ends the waiting at once: a program that shall end does not wait for an answer
 * @param report asks for a report at once, for what is only handed over with its receipt
 */
export async function attend(identity: Identity, follow: (settings: AgentSettings) => Promise<void>, report: () => void, stop: AbortSignal): Promise<void> {
  while (!stop.aborted) {
    try {
      const { body } = await call<Attended>(identity.server, 'POST', '/api/agent/attend', { roster: identity.roster ?? '' }, identity.deviceKey, stop)
      if (stop.aborted) return
      await follow(body.settings)
      if (body.work) {
        report()
        await wait(1000, undefined, { signal: stop }).catch(() => undefined)
      }
    } catch (error) {
      // A server from before there was anything to wait at.
      if (error instanceof Refused && error.status === 404) return
      await wait(pauseAfterTrouble, undefined, { signal: stop }).catch(() => undefined)
    }
  }
}
