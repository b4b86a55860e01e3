import {
  counterMetric,
  counterSeries,
  counterValue,
  FindTroubleError,
  Given,
  isSeriesOf,
  nextRise,
  placeFault,
  readCounter,
  readCounterPlace,
  readingFault,
  sayingFault,
  type Counter,
  type CounterAsk,
  type CountersTold,
  type Millis,
  type OwnProgram,
  type Reading,
  type Risen,
} from '#core'
import { Slots } from '../../probes/slots'
import type { Collect } from '../collector'
import type { OwnPrograms } from './own'
import { counterText, counterTroubleOf, CounterTroubleError, type CounterText } from './sources'

/** So many series of counters at most are told of a machine: a report has room for more than them. */
const mostSeries = 500
/** So many programs are asked at a time: what each gives may be large, and an agent has little memory. */
const atOnce = 4
/** What a number is of may be called in any way; what is longer is left out, because cut it would be another. */
const longestPart = 120

interface Seen {
  readings: Reading[]
  told: CountersTold
}

/** Counters of programs, look after look. */
export class Counters {
  /** Of what only rises, the look before, by its series, and which line from where it is of. */
  #risen = new Map<string, Risen & { of: string }>()
  #next = new Map<string, Risen & { of: string }>()

  /** What the text of a program says. @throws CounterTroubleError */
  read({ name, from, counters }: CounterAsk, { text, at }: CounterText, now: Millis): Seen {
    const given = new Given(text)
    const seen: Seen = { readings: [], told: { name, from, series: [], missing: [] } }
    for (const line of counters) {
      const counter = readCounter(line)
      const found = foundOf(given, counter)
      if (found === null) seen.told.missing.push(counter.name)
      for (const { part: named, value } of found ?? []) {
        const part = named.replace(/[\p{Cc}\p{Cs}]+/gu, ' ').trim()
        if (part.length > longestPart) continue
        const series = counterSeries(name, counter.name, part)
        if (seen.told.series.some((each) => each.name === series)) continue
        const metric = counterMetric(counter)
        seen.told.series.push({ name: series, metric })
        const reading =
          value === null ? null : this.#valueOf(series, counter, value, { at, now, of: `${from} ${line}` })
        // What is beyond all measure is a way of saying that there is none.
        if (reading !== null && readingFault(metric, series, reading) === null)
          seen.readings.push([metric, series, reading])
      }
    }
    return seen
  }

  #valueOf(
    series: string,
    { unit, perSecond }: Counter,
    found: number,
    { at, now, of }: { at: Millis; now: Millis; of: string },
  ) {
    const value = counterValue(unit, found, now)
    if (!perSecond) return value
    const before = this.#risen.get(series)
    const risen = nextRise(before?.of === of ? before : undefined, at, value)
    this.#next.set(series, { ...risen, of })
    return risen.rate
  }

  /** A look is over: what was not seen in it begins anew. @param unread programs of which nothing is known now */
  turn(unread: readonly string[]): void {
    const kept = [...this.#risen].filter(([series]) => unread.some((name) => isSeriesOf(name, series)))
    this.#risen = new Map([...kept, ...this.#next])
    this.#next = new Map()
  }
}

function foundOf(given: Given, counter: Counter) {
  try {
    return given.find(counter)
  } catch (error) {
    if (!(error instanceof FindTroubleError)) throw error
    throw new CounterTroubleError(error.trouble, error.trouble === 'too-many' ? counter.name : '')
  }
}

const troubled = ({ name, from }: CounterAsk, { trouble, detail }: CounterTroubleError): Seen => ({
  readings: [],
  told: { name, from, trouble, ...(detail ? { detail } : {}), series: [], missing: [] },
})

/** Which program of those that the agent asks itself is meant; null: none, or no place at all. */
function ownProgramOf(from: string): OwnProgram | null {
  const place = placeFault(from) === null ? readCounterPlace(from) : null
  return place?.at === 'own' ? place.program : null
}

/**
 * What programs of this machine count, where watches ask for it. One that cannot be read says why, and costs the others
 * nothing.
 */
export function countersCollector(wanted: () => readonly CounterAsk[], own: OwnPrograms): Collect {
  const counters = new Counters()
  const slots = new Slots(atOnce)
  async function look(ask: CounterAsk, now: Millis): Promise<Seen> {
    try {
      // Whoever has the server in hand has the agent say no more to a program than a watch may.
      const fault = sayingFault(ask.say)
      if (fault !== null) throw new CounterTroubleError('other', fault)
      const place = readCounterPlace(ask.from)
      const text = place.at === 'own' ? await own.text(place.program, now) : await counterText(place, ask, now)
      return counters.read(ask, text, now)
    } catch (error) {
      // Whatever it is costs this one alone.
      return troubled(ask, counterTroubleOf(error))
    }
  }
  return {
    name: 'counters',
    async collect(now) {
      const asks = wanted()
      own.want(asks.map(({ from }) => ownProgramOf(from)).filter((program) => program !== null))
      // What was told before is no more.
      if (!asks.length) return { facts: { counters: [] } }
      let room = mostSeries
      const seen = (await Promise.all(asks.map((ask) => slots.use(() => look(ask, now))))).map((each, i) => {
        if (each.told.series.length > room) return troubled(asks[i]!, new CounterTroubleError('too-many'))
        room -= each.told.series.length
        return each
      })
      counters.turn(seen.filter(({ told }) => told.trouble !== undefined).map(({ told }) => told.name))
      return {
        readings: seen.flatMap(({ readings }) => readings),
        facts: { counters: seen.map(({ told }) => told) },
      }
    },
  }
}
