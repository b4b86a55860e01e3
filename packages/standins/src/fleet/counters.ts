import {
  counterMetric,
  counterSeries,
  matchesAny,
  readCounter,
  shippedPrograms,
  type CounterAsk,
  type CountersTold,
  type Reading,
} from '#core'
import type { PlannedDevice } from '../estate/plan'

/** What a program of a device does at a moment. */
export interface Doing {
  /** How busy the device is, 0 to 1. */
  load: number
  /** Noise of this name that moves gently, 0 to 1. */
  wave(what: string): number
  isDown(service: string): boolean
}

type Told = number | Readonly<Record<string, number>>

/** What each program tells, by the names that its counters have where nobody calls them otherwise. */
const programs: Readonly<Record<string, (doing: Doing, plan: PlannedDevice) => Readonly<Record<string, Told>>>> = {
  nginx: ({ load, wave }) => {
    const requests = 0.4 + 90 * load * wave('requests')
    return { connections: Math.round(2 + requests), waiting: Math.round(1 + 0.8 * requests), writing: 1, requests }
  },
  apache: ({ load, wave }) => {
    const busy = Math.round(1 + 30 * load * wave('workers'))
    return { 'busy workers': busy, 'idle workers': 50 - busy, requests: 60 * load, sent: 4e5 * load }
  },
  postgresql: ({ load, wave }, { name }) => {
    const connections = Math.round(8 + 40 * load * (0.5 + wave('connections')))
    return {
      connections,
      'connections used': connections / 100,
      active: Math.round(6 * load),
      'waiting for locks': 0,
      'longest transaction': Math.round(20 * load * wave('longest')),
      'idle in transaction': Math.round(2 * wave('idle')),
      'transaction numbers used': 0.06,
      transactions: { [name.replace(/-.*|\d/g, '') + '_main']: 2 + 160 * load, postgres: 0.1 },
      'temporary files': 3e5 * load * wave('temporary'),
      standbys: 0,
      'standby behind': {},
      'replay behind': {},
    }
  },
  mariadb: ({ load, wave }) => {
    const connections = Math.round(4 + 25 * load)
    return {
      connections,
      'connections used': connections / 151,
      running: 1 + Math.round(3 * load),
      questions: 5 + 220 * load * (0.5 + wave('questions')),
      slow: 0,
      'waiting for locks': 0,
      'replica runs': {},
      'replica behind': {},
    }
  },
  'active-directory': ({ wave }, { client }) => {
    const other = `${client}-other-dc DC=${client},DC=example`
    return { 'failures in a row': { [other]: 0 }, 'last success': { [other]: Math.round(900 * wave('replication')) } }
  },
}

const serviceOf = (plan: PlannedDevice, program: string) => {
  const patterns = shippedPrograms.find(({ name }) => name === program)?.services ?? []
  return plan.services.find((service) => matchesAny(patterns, service))
}

/** A stand-in knows the ordinary programs, where it has them and they run. */
export function countersSeen(plan: PlannedDevice, asks: readonly CounterAsk[], doing: Doing) {
  const readings: Reading[] = []
  const told = asks.map(({ name, from, counters }): CountersTold => {
    const program = shippedPrograms.find((each) => each.from === from)?.name ?? ''
    const service = serviceOf(plan, program)
    const seen: CountersTold = { name, from, series: [], missing: [] }
    const tells = programs[program]
    if (!tells || service === undefined || doing.isDown(service)) return { ...seen, trouble: 'refused' }
    const values = tells(doing, plan)
    for (const counter of counters.map(readCounter)) {
      const value = values[counter.name]
      const metric = counterMetric(counter)
      if (value === undefined) seen.missing.push(counter.name)
      else
        for (const [part, number] of typeof value === 'number' ? [['', value] as const] : Object.entries(value)) {
          const series = counterSeries(name, counter.name, part)
          seen.series.push({ name: series, metric })
          readings.push([metric, series, number])
        }
    }
    return seen
  })
  return { readings, told }
}
