import { choiceName, isAnyChosen, processParts, type ProcessChoice } from '../../processes'
import { allTimes, readingText, timesBeyond, type MetricName } from '../../series'
import type { Severity } from '../../severity'
import { bytesText, numberText, percentText } from '../../text'
import { read, type Observation, type WatchKind } from '../kind'
import type { Parameter, Values } from '../parameter'
import { sayer, sentence, type Say, type SentencePart } from '../sentence'

const pattern = {
  type: 'text',
  default: '',
  form: { is: /^\P{Cc}{0,100}$/u, says: 'at most 100 characters, and none that nobody sees' },
} as const
const severity = (name: string, label: string, by: Severity, explains: string): Parameter => ({
  name,
  type: 'choice',
  label,
  choices: ['notice', 'warning', 'critical'],
  default: by,
  explains,
})
export const usedBy = ['one of them', 'all of them together'] as const

const parameters: readonly Parameter[] = [
  {
    ...pattern,
    name: 'name',
    label: 'Name',
    explains: 'As the system calls the process, or as its program’s file is called; with * for any run of characters.',
  },
  {
    ...pattern,
    name: 'path',
    label: 'Program',
    explains:
      'The file that it runs, with its folder: /opt/*/bin/app. Empty: any. An agent without root’s rights sees that of others as they were started.',
  },
  {
    ...pattern,
    name: 'arguments',
    label: 'Command line',
    explains: 'All of it, such as *tomcat*: of several programs of the same interpreter it tells which. Empty: any.',
  },
  { ...pattern, name: 'user', label: 'User', explains: 'Who runs it. Empty: anybody. Only Linux tells.' },
  {
    name: 'least',
    type: 'count',
    label: 'At least',
    default: 1,
    optional: true,
    min: 1,
    max: 100_000,
    explains: 'Told when fewer run. 1: when none does. Off: none need to.',
  },
  {
    name: 'most',
    type: 'count',
    label: 'At most',
    default: null,
    optional: true,
    min: 0,
    max: 100_000,
    explains: 'Told when more run. 0: when one does.',
  },
  severity('severity', 'Severity of their number', 'critical', 'What it does is not done any more.'),
  {
    name: 'cpu',
    type: 'percent',
    label: 'CPU above',
    default: null,
    optional: true,
    min: 0,
    max: 1000,
    explains: 'Of one core: a program that is caught in a loop uses 100 %, however many cores there are.',
  },
  {
    name: 'memory',
    type: 'bytes',
    label: 'Memory above',
    default: null,
    optional: true,
    min: 0,
    max: 1e15,
    explains:
      'Of its own, without files and what programs share; what it still has in common with those that it began counts for each.',
  },
  {
    name: 'of',
    type: 'choice',
    label: 'Used by',
    choices: usedBy,
    default: 'one of them',
    explains: 'One alone, as of workers that should all be small; or all together, as of what a service takes.',
  },
  severity('usage.severity', 'Severity of what it uses', 'warning', 'It still works.'),
  {
    name: 'checks',
    type: 'count',
    label: 'Checks in a row',
    default: 3,
    min: 1,
    max: 100,
    explains: 'Never 1: a restart, or a busy moment, is no trouble (common practice, no source).',
  },
]

export function choiceOf(values: Values): ProcessChoice {
  const [name, path, all, user] = processParts.map((part) => read.text(values, part).trim())
  return { name: name!, path: path!, arguments: all!, user: user! }
}

/** What a watch asks of a device's agent, or null where it names no process. */
export function processAsked(kind: string, values: Values): ProcessChoice | null {
  const choice = kind === 'process' ? choiceOf(values) : null
  return choice && isAnyChosen(choice) ? choice : null
}

const instances = new WeakMap<Values, string>()
function instanceOf(values: Values): string {
  let name = instances.get(values)
  if (name === undefined) instances.set(values, (name = choiceName(choiceOf(values))))
  return name
}

const isTogether = (values: Values) => read.text(values, 'of') === 'all of them together'
/** What is used, by all together or by the one that uses the most of it. */
const metricsOf = (values: Values): { cpu: MetricName; memory: MetricName } =>
  isTogether(values)
    ? { cpu: 'process.cpu', memory: 'process.memory' }
    : { cpu: 'process.cpu.most', memory: 'process.memory.most' }

function whoSentence(say: Say, values: Values): SentencePart[] {
  const { name, path, arguments: all, user } = choiceOf(values)
  const who = name || (path || all || user ? 'any process' : 'a process yet to be named')
  return sentence`${say('name', who)}${path ? sentence` at ${say('path')}` : []}${all ? sentence` with ${say('arguments')}` : []}${user ? sentence` of user ${say('user')}` : []}`
}

function numberSentence(say: Say, values: Values): SentencePart[] {
  const [least, most] = [read.optional(values, 'least'), read.optional(values, 'most')]
  const who = whoSentence(say, values)
  if (least === null && most === null) return []
  if (least === 1 && most === null) return sentence`${who} ${say('least', 'does not run')}`
  if (least === null && most === 0) return sentence`${who} ${say('most', 'runs')}`
  const few = least === null ? [] : sentence`fewer than ${say('least')}`
  const many = most === null ? [] : sentence`more than ${say('most')}`
  return sentence`${few}${few.length && many.length ? ' or ' : ''}${many} of ${who} run`
}

function usageSentence(say: Say, values: Values): SentencePart[] {
  const cpu = read.optional(values, 'cpu') === null ? [] : sentence`${say('cpu')} of a core`
  const memory = read.optional(values, 'memory') === null ? [] : sentence`${say('memory')} of memory`
  if (!cpu.length && !memory.length) return []
  const uses = isTogether(values) ? 'use' : 'uses'
  return sentence`${say('of')} ${uses} more than ${cpu}${cpu.length && memory.length ? ' or ' : ''}${memory}`
}

export const processRuns: WatchKind = {
  name: 'process',
  title: 'Processes',
  subject: 'process',
  collector: 'processes',
  metric: 'process.count',
  about: [...processParts, 'least', 'most', 'cpu', 'memory', 'of'],
  parameters,
  choosing: {
    include: 'name',
    of: ({ programs }) => {
      const byName = new Map<string, string>()
      for (const { name, path, arguments: all, user } of programs ?? [])
        if (!byName.has(name)) byName.set(name, [all ?? path, user && `user ${user}`].filter(Boolean).join('; '))
      return [...byName].map(([name, title]) => ({ name, title }))
    },
  },
  sentence(values) {
    const say = sayer(parameters, values)
    const who = whoSentence(say, values)
    const number = numberSentence(say, values)
    const usage = usageSentence(say, values)
    const told = [
      ...(number.length ? [sentence`${number} in ${say('checks')} checks in a row, raise ${say('severity')}`] : []),
      ...(usage.length
        ? [
            number.length
              ? sentence`when ${usage}, raise ${say('usage.severity')}`
              : sentence`, of ${who}, ${usage} in ${say('checks')} checks in a row, raise ${say('usage.severity')}`,
          ]
        : []),
    ]
    if (!told.length) return sentence`Of ${who}, nothing is asked.`
    const all = told.flatMap((part, i) => (i ? [{ text: '; ' }, ...part] : part))
    return sentence`When${number.length ? ' ' : ''}${all}; clear after as many good ones.`
  },
  hold: (values) => ({ checks: read.number(values, 'checks') }),
  clearHold: (values) => ({ checks: read.number(values, 'checks') }),
  suspects(values, { series }) {
    const instance = instanceOf(values)
    const of = (metric: MetricName) => series.find((each) => each.metric === metric && each.instance === instance)
    const beyond = (metric: MetricName, limit: number | null, sign: 1 | -1) => {
      const samples = limit === null ? undefined : of(metric)?.samples
      return samples ? timesBeyond(samples, limit!, sign) : []
    }
    const { cpu, memory } = metricsOf(values)
    return allTimes([
      beyond('process.count', read.optional(values, 'least'), -1),
      beyond('process.count', read.optional(values, 'most'), 1),
      beyond(cpu, read.optional(values, 'cpu'), 1),
      beyond(memory, read.optional(values, 'memory'), 1),
    ])
  },
  observe(values, { readings }): Observation[] {
    const name = instanceOf(values)
    const valueOf = (metric: MetricName) =>
      readings.find((reading) => reading[0] === metric && reading[1] === name)?.[2] ?? null
    const count = valueOf('process.count')
    if (name === '' || count === null) return []
    const [least, most] = [read.optional(values, 'least'), read.optional(values, 'most')]
    const { cpu: cpuMetric, memory: memoryMetric } = metricsOf(values)
    const used = [
      { what: 'cpu', value: valueOf(cpuMetric), limit: read.optional(values, 'cpu') },
      { what: 'memory', value: valueOf(memoryMetric), limit: read.optional(values, 'memory') },
    ] as const
    const isFew = least !== null && count < least
    const isMany = most !== null && count > most
    const over = used.filter(({ value, limit }) => limit !== null && value !== null && value > limit)
    const isKnown = used.every(({ value, limit }) => limit === null || value !== null)
    const failing = new Set<Severity>([
      ...(isFew || isMany ? [read.severity(values, 'severity')!] : []),
      ...(over.length ? [read.severity(values, 'usage.severity')!] : []),
    ])
    return [
      {
        instance: '',
        failing: [...failing],
        well: failing.size === 0 && isKnown,
        evidence: () => {
          if (isFew || isMany) return { subject: name, text: wrongNumberText(name, count, least, most), value: count }
          const [first] = over
          if (!first) return { subject: name, text: `${name}: ${runText(count)}`, value: count }
          const amount = first.what === 'cpu' ? `${percentText(first.value!)} of a core` : bytesText(first.value!)
          const who = isTogether(values) ? `${numberText(count)} together` : 'one of them'
          return {
            subject: name,
            text: `${name}: ${who} ${isTogether(values) ? 'use' : 'uses'} ${amount}`,
            value: first.value!,
          }
        },
      },
    ]
  },
}

const runText = (count: number) => (count === 1 ? '1 runs' : `${readingText('count', count)} run`)

function wrongNumberText(name: string, count: number, least: number | null, most: number | null): string {
  if (count === 0) return `${name} does not run`
  if (most === 0) return `${name}: ${runText(count)}, and none should`
  const bound = least !== null && count < least ? `at least ${least}` : `at most ${most}`
  return `${name}: ${runText(count)}, and ${bound} should`
}
