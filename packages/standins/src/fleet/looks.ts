import { day, probeName, second, type Millis, type ProbeAsk, type ProbeTold, type Reading } from '#core'
import { addresses } from '../estate'

/** What a stand-in sees of what it is asked to look at: all answers, but for what the address's story says. */
function looked(
  { host, check }: ProbeAsk,
  at: Millis,
  began: Millis,
): Pick<ProbeTold, 'outcome' | 'fault' | 'time' | 'expires'> {
  const story = addresses.find(({ address }) => address === host)?.story ?? {}
  if (story.downAt?.some(([from, to]) => at - began >= from * 60 * second && at - began < to * 60 * second))
    return { outcome: 'bad', fault: 'timeout' }
  const time = 4 + (host.length % 9) + 3 * Math.abs(Math.sin(at / 70_000))
  const expires = began + (story.certificateDays ?? 64) * day
  return { outcome: 'good', time, ...(check.check === 'certificate' ? { expires } : {}) }
}

/** The looks of one stand-in device, told with its reports. */
export class Looks {
  readonly #kept = new Map<number, { outcome: ProbeTold['outcome']; inARow: number; since: Millis }>()

  /** @param began when the demo's history ends and its present begins */
  constructor(private readonly began: Millis) {}

  told(asks: readonly ProbeAsk[], at: Millis): ProbeTold[] {
    return asks.map((ask): ProbeTold => {
      const seen = looked(ask, at, this.began)
      const before = this.#kept.get(ask.id)
      const now =
        before?.outcome === seen.outcome
          ? { ...before, inARow: before.inARow + 3 }
          : { outcome: seen.outcome, inARow: 3, since: at }
      this.#kept.set(ask.id, now)
      return {
        id: ask.id,
        ...seen,
        ...(seen.time ? { mean: seen.time } : {}),
        inARow: now.inARow,
        lasts: at - now.since,
      }
    })
  }
}

export function lookReadings(asks: readonly ProbeAsk[], at: Millis, began: Millis): Reading[] {
  const found = new Map(asks.map((ask) => [probeName(ask.check, ask.host), looked(ask, at, began)]))
  return [...found].flatMap(([name, { outcome, time }]): Reading[] => [
    ['reach.failed', name, outcome === 'bad' ? 1 : 0],
    ...(time === undefined ? [] : ([['reach.time', name, time]] satisfies Reading[])),
  ])
}
