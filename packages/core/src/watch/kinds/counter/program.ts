import {
  counterFault,
  counterTroubleText,
  placeFault,
  sayingFault,
  shippedProgram,
  shippedPrograms,
  type CounterAsk,
  type CountersTold,
} from '../../../counter'
import type { Facts } from '../../../estate'
import { chosen, countText } from '../../../text'
import { hour, minute } from '../../../units'
import { read, type Observation, type WatchKind } from '../../kind'
import type { Parameter, Values } from '../../parameter'
import { sayer, sentence } from '../../sentence'

/** A program that nothing is known of: all of it is said by hand. */
const another = 'another'

const parameters: readonly Parameter[] = [
  {
    name: 'program',
    type: 'choice',
    label: 'Program',
    choices: [...shippedPrograms.map(({ name }) => name), another],
    default: another,
    explains:
      'Of these it is known where they tell of themselves, and what; all of it can be said in another way below. Another: say where, and which counters.',
  },
  {
    name: 'called',
    type: 'text',
    label: 'Called',
    default: '',
    form: { is: /^[^\p{Cc}:=]{1,60}$/u, says: 'a name of up to 60 characters, without a colon' },
    explains: 'What its series begin with, as in “shop: orders”. Empty: as the program is called.',
  },
  {
    name: 'from',
    type: 'text',
    label: 'Read from',
    default: '',
    fault: placeFault,
    explains:
      'A page, a socket or a file of the machine itself: http://127.0.0.1/status, unix:/run/x.sock, tcp:127.0.0.1:11211, /run/x.json; or the name of a program that the agent asks itself. Empty: where the program usually tells.',
  },
  {
    name: 'say',
    type: 'text',
    label: 'Asked with',
    default: '',
    fault: sayingFault,
    explains: 'The line that a socket is asked with, such as stats or INFO. Only what asks is sent.',
  },
  {
    name: 'counters',
    type: 'lines',
    label: 'Counters',
    default: [],
    fault: counterFault,
    explains:
      'One a line: NAME = WHERE. Where: after "Active connections:" in a text, /workers/busy in JSON, requests_total{code="500"} in OpenMetrics; behind a comma what it is of (bytes, ms, share …), and per second of what only rises. Empty: those that are known of the program. One of the same name takes its place.',
  },
  {
    name: 'services',
    type: 'patterns',
    label: 'Only with service',
    default: [],
    explains:
      'Where none of these is installed, nothing is asked of anybody. Empty: the services of the program; of another, everywhere. While all of them are stopped, nothing is said of it: that is for what watches services.',
  },
  {
    name: 'old',
    type: 'duration',
    label: 'File older than',
    default: hour,
    optional: true,
    min: minute,
    max: 400 * 24 * hour,
    explains: 'Of a file alone: one that nobody writes any more tells of another time, and is not read.',
  },
  {
    name: 'severity',
    type: 'choice',
    label: 'Severity',
    choices: ['nothing', 'notice', 'warning', 'critical'],
    default: 'warning',
    explains: 'It does not answer, or does not tell what it should: what watches its counters sees nothing then.',
  },
  {
    name: 'checks',
    type: 'count',
    label: 'Checks in a row',
    default: 3,
    min: 1,
    max: 100,
    explains: 'Never 1: a restart is no trouble (common practice, no source).',
  },
]

/** What a program is called in its series. */
const calledIn = (values: Values): string => {
  const program = read.text(values, 'program')
  return read.text(values, 'called').trim() || (program === another ? '' : program)
}

const nameOf = (line: string) => line.slice(0, line.indexOf('=')).trim()

/** All lines of a watch: those that are known of its program, and its own, which take the place of others. */
export function counterLines(values: Values): string[] {
  const own = read.list(values, 'counters')
  const names = new Set(own.map(nameOf))
  const known = shippedProgram(read.text(values, 'program'))?.counters ?? []
  return [...known.filter((line) => !names.has(nameOf(line))), ...own]
}

/** What a watch asks of a device's agent; null: it does not say enough yet. */
export function countersAsked(kind: string, values: Values): CounterAsk | null {
  if (kind !== 'program-counters') return null
  const shipped = shippedProgram(read.text(values, 'program'))
  const counters = counterLines(values)
  const name = calledIn(values)
  const from = read.text(values, 'from').trim() || (shipped?.from ?? '')
  if (!name || !from || !counters.length || placeFault(from)) return null
  return {
    name,
    from,
    say: read.text(values, 'say').trim() || (shipped?.say ?? ''),
    old: read.optional(values, 'old'),
    counters,
  }
}

/**
 * Whether a program is on a device, and meant to answer, by its services; null: they were not told. While all of them
 * are stopped it is for what watches services to say so, once.
 */
function standing(values: Values, { services }: Facts): 'runs' | 'stopped' | 'absent' | null {
  const own = read.list(values, 'services')
  const wanted = own.length ? own : (shippedProgram(read.text(values, 'program'))?.services ?? [])
  if (!wanted.length) return 'runs'
  if (services === undefined) return null
  const found = services.filter(({ name }) => chosen(wanted, [], name))
  if (!found.length) return 'absent'
  return found.some(({ state }) => state !== 'stopped' && state !== 'failed') ? 'runs' : 'stopped'
}

/** Whether the program of a watch is installed on a device, as far as that was told. */
export const isInstalled = (values: Values, facts: Facts): boolean =>
  !['absent', null].includes(standing(values, facts))

/** What is wrong with what was told, behind the name of the program; null: nothing. */
function wrongWith(ask: CounterAsk, { from, trouble, detail, missing }: CountersTold): string | null {
  if (from !== ask.from)
    return `is what others are called, which are read from ${from}: call one of them in another way`
  if (trouble !== undefined) return counterTroubleText(trouble, detail)
  return missing.length ? `does not tell ${missing.map((name) => `“${name}”`).join(', ')}` : null
}

export const programCounters: WatchKind = {
  name: 'program-counters',
  title: 'Counters of a program',
  subject: 'counter',
  collector: 'counters',
  about: ['program', 'called', 'from', 'say', 'counters', 'services', 'old'],
  parameters,
  choosing: {
    include: 'services',
    of: ({ services }) => (services ?? []).map(({ name, title }) => ({ name, title })),
  },
  sentence(values) {
    const say = sayer(parameters, values)
    const shipped = shippedProgram(read.text(values, 'program'))
    const called = read.text(values, 'called')
    const all = counterLines(values).length
    const who = sentence`${say('program', shipped?.title ?? 'another program')}${called ? sentence`, called ${say('called')},` : []}`
    const from = say('from', read.text(values, 'from') || (shipped?.from ?? 'a place yet to be named'))
    const asked = read.text(values, 'say') ? sentence`, asked with ${say('say')}` : []
    const where = read.list(values, 'services').length ? sentence` where ${say('services')} is installed` : []
    const told = read.severity(values, 'severity')
      ? sentence`; when it does not tell them in ${say('checks')} checks in a row, raise ${say('severity')}; clear after as many good ones`
      : sentence`; when it does not tell them, raise ${say('severity')}`
    return sentence`Of ${who}${where} read ${say('counters', countText(all, 'counter'))} from ${from}${asked}${told}.`
  },
  hold: (values) => ({ checks: read.number(values, 'checks') }),
  clearHold: (values) => ({ checks: read.number(values, 'checks') }),
  gone: (values, { facts }) => ['absent', 'stopped'].includes(standing(values, facts) ?? ''),
  observe(values, { facts }): Observation[] {
    const ask = countersAsked('program-counters', values)
    const told = ask && facts.counters?.find(({ name }) => name === ask.name)
    if (!ask || !told || standing(values, facts) !== 'runs') return []
    const severity = read.severity(values, 'severity')
    const wrong = wrongWith(ask, told)
    return [
      {
        instance: '',
        failing: wrong !== null && severity ? [severity] : [],
        well: wrong === null,
        evidence: () => ({
          subject: ask.name,
          text: `${ask.name} ${wrong ?? `tells ${countText(ask.counters.length, 'counter')}`}`,
        }),
      },
    ]
  },
}
