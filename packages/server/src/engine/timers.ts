import { hour, minute, second, type Millis } from '#core'
import { ensurePartitions, type Pool } from '../db'
import { sumBacklog } from '../store/backlog'
import { forgetHours } from '../store/logHours'
import { archiveOld } from './archiving'
import { learnUsualOfDevices } from './learning'
import { packingRound } from './packing'
import { judgeLooks, workOutDuties } from './probes'
import { advanceRemediations } from './remediation/remediation'
import { dailyRetention } from './retention'
import { settleDue } from './settling'
import { hearingSince, silenceRound } from './silence'
import { settleSites, settleSteady } from './sites'
import { advanceWindows, extendHorizons } from './windows'

/** Something that must happen without a report. */
export interface Job {
  name: string
  /** Between the end of one round and the beginning of the next. */
  every: Millis
  work(now: Millis): Promise<unknown>
}

/** What becomes of devices, alerts and windows with time. */
export function engineJobs(pool: Pool): Job[] {
  return [
    // A window counts within two seconds; over a thousand devices more than one of them is the work itself.
    { name: 'windows', every: second / 4, work: (now) => advanceWindows(pool, now) },
    { name: 'horizons', every: minute, work: (now) => extendHorizons(pool, now) },
    { name: 'silence', every: 2 * second, work: silenceRound(pool) },
    {
      name: 'sites',
      every: 2 * second,
      work: async (now) => settleSites(pool, await hearingSince(pool, now), now),
    },
    { name: 'steady', every: 10 * second, work: (now) => settleSteady(pool, now) },
    { name: 'remediations', every: second, work: (now) => advanceRemediations(pool, now) },
    { name: 'settling', every: second / 4, work: (now) => settleDue(pool, now) },
    { name: 'who looks', every: 2 * second, work: () => workOutDuties(pool) },
    { name: 'looks', every: second / 2, work: (now) => judgeLooks(pool, now) },
    { name: 'what is usual', every: 5 * second, work: (now) => learnUsualOfDevices(pool, now) },
    { name: 'partitions', every: 6 * hour, work: (now) => ensurePartitions(pool, now) },
    { name: 'retention', every: hour / 6, work: (now) => dailyRetention(pool, now) },
    { name: 'packing', every: minute, work: (now) => packingRound(pool, now) },
    { name: 'archiving', every: hour, work: (now) => archiveOld(pool, now) },
    { name: 'backlog', every: hour / 2, work: (now) => sumBacklog(pool, now) },
    { name: 'log hours', every: hour, work: (now) => forgetHours(pool, now) },
  ]
}

/**
 * Does each job again and again, each at its own pace. A round that fails is logged and tried again.
 * @returns ends them, once what is under way is over
 */
export function startTimers(
  jobs: readonly Job[],
  log: { error(fields: object, text: string): void },
): () => Promise<void> {
  let stopped = false
  const timers = new Map<string, NodeJS.Timeout>()
  const running = new Map<string, Promise<void>>()
  const schedule = ({ name, every, work }: Job): void => {
    timers.set(
      name,
      setTimeout(() => {
        running.set(
          name,
          work(Date.now())
            .catch((error: unknown) => {
              log.error({ err: error, timer: name }, 'timer failed')
            })
            .then(() => {
              if (!stopped) schedule({ name, every, work })
            }),
        )
      }, every),
    )
  }
  for (const job of jobs) schedule(job)
  return async () => {
    stopped = true
    for (const timer of timers.values()) clearTimeout(timer)
    await Promise.all(running.values())
  }
}
