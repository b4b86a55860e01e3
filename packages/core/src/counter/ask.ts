import type { Millis } from '../units'
import type { CounterMetric } from './counter'

/** What an agent reads of a program: where, and which counters stand there. */
export interface CounterAsk {
  /** Its series begin with it: `nginx: requests`. */
  name: string
  /** As `readCounterPlace` reads it. */
  from: string
  /** The line that a socket is asked with. */
  say: string
  /** A file that was not written for so long tells of another time; null: however old. */
  old: Millis | null
  /** Lines, as `readCounter` reads them. */
  counters: readonly string[]
}

/** Why nothing could be read. Codes cross; words are made where they are read. */
export const counterTroubles = [
  'refused',
  'absent',
  'denied',
  'timeout',
  'status',
  'large',
  'old',
  'not-json',
  'too-many',
  'not-here',
  'not-installed',
  'waiting',
  'failed',
  'other',
] as const
export type CounterTrouble = (typeof counterTroubles)[number]

/** What an agent says of an ask beside its readings. */
export interface CountersTold {
  name: string
  /** Where it was read, as it was asked. */
  from: string
  trouble?: CounterTrouble
  /** What belongs to it: the status, what the program's own tool said. */
  detail?: string
  /** What there is now. Where there is trouble, nobody knows. */
  series: { name: string; metric: CounterMetric }[]
  /** Counters that do not stand where they should, by name. */
  missing: string[]
}

/** What a counter of a program is called, with what of several it is of: `postgresql: commits of tickets`. */
export const counterSeries = (program: string, counter: string, part = ''): string =>
  part ? `${program}: ${counter} of ${part}` : `${program}: ${counter}`

/** Whether a series is one of a program's, by its name. */
export const isSeriesOf = (program: string, series: string): boolean => series.startsWith(`${program}: `)

/** The program of a series, by its name. */
export const programOfSeries = (series: string): string => series.slice(0, series.indexOf(': '))

/** How what an agent could not read is told, behind the name of the program. */
export function counterTroubleText(trouble: CounterTrouble, detail = ''): string {
  const said = detail && ` (${detail})`
  switch (trouble) {
    case 'refused':
      return 'does not answer: nothing listens there'
    case 'absent':
      return `does not tell: ${detail || 'what should be read'} is not there`
    case 'denied':
      return `does not tell: the agent may not read it${said}`
    case 'timeout':
      return 'does not answer in time'
    case 'status':
      return `answers ${detail}`
    case 'large':
      return 'gives more than an agent reads'
    case 'old':
      return 'tells of another time: the file was not written of late'
    case 'not-json':
      return 'gives no JSON'
    case 'too-many':
      return `has a counter of too many parts${said}`
    case 'not-here':
      return `cannot be asked on this machine${said}`
    case 'not-installed':
      return 'cannot be asked yet: the line of installation, run once more on the machine, lets root ask it'
    case 'waiting':
      return 'was not asked within five minutes; see: systemctl status custode-agent-counters.service'
    default:
      return `cannot be read${said}`
  }
}
