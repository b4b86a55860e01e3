import { hour, minute, second } from '../units'
import { read, type Collector, type Subject, type WatchKind } from './kind'
import type { Parameter, Values } from './parameter'
import { sayer, sentence, type SentencePart } from './sentence'

/** Collectors that run as often as the watches of a roster want. The others keep their own time. */
export const pacedCollectors = [
  'performance',
  'disks',
  'network',
  'services',
  'processes',
  'files',
  'counters',
] as const satisfies readonly Collector[]
export type PacedCollector = (typeof pacedCollectors)[number]

export function isPaced(collector: Collector | null): collector is PacedCollector {
  return pacedCollectors.some((candidate) => candidate === collector)
}

/** Which collector a metric comes from; null for those that keep their own time. */
export function collectorOfMetric(metric: string): PacedCollector | null {
  const family = metric.slice(0, metric.indexOf('.'))
  if (family === 'disk') return 'disks'
  if (family === 'net') return 'network'
  if (family === 'process') return 'processes'
  if (family === 'file') return 'files'
  if (family === 'counter') return 'counters'
  return ['certificate', 'reach', 'sessions'].includes(family) ? null : 'performance'
}

const pace: readonly Parameter[] = [
  {
    name: 'every',
    type: 'duration',
    label: 'Look every',
    default: null,
    optional: true,
    min: 10 * second,
    max: hour,
    explains:
      'How often the agent reads it. Off: with each of its reports. Reading less often costs less and sees short troubles less.',
  },
  {
    name: 'recheck',
    type: 'duration',
    label: 'Re-check every',
    default: null,
    optional: true,
    min: 10 * second,
    max: hour,
    explains: 'Once a check fails, until it is confirmed or well again. Every minute is common practice, no source.',
  },
]

const always: readonly Parameter[] = [
  {
    name: 'hours',
    type: 'hours',
    label: 'Hours',
    default: '',
    explains:
      'When it looks, on the clocks of the device’s site: Mon–Fri 08:00–20:00. Empty: always. Outside them nothing is raised or cleared.',
  },
  {
    name: 'todo',
    type: 'text',
    label: 'What to do',
    default: '',
    explains: 'Stands in the alert, for whoever takes it.',
  },
]

const explainsAttempts = 'A person is told when the tries of an hour did not help, and at once when it cannot be tried.'
const itself: readonly Parameter[] = [
  {
    name: 'tries',
    type: 'count',
    label: 'First put right',
    default: null,
    optional: true,
    min: 1,
    max: 5,
    explains: `How often in an hour the agent starts it, or stops it, before anybody is told. Off: never. 3 is common practice, no source. ${explainsAttempts}`,
  },
  {
    name: 'tries.wait',
    type: 'duration',
    label: 'Give each try',
    default: minute,
    min: 10 * second,
    max: hour,
    explains: 'So long it has to show whether it helped.',
  },
]
const another: readonly Parameter[] = [
  {
    name: 'restart.service',
    type: 'text',
    label: 'First restart',
    default: '',
    form: { is: /^[^\s/\\*?"'`-][^/\\*?"'`\n]{0,200}$/, says: 'the name of one service, as the system calls it' },
    explains: `A service that the agent restarts before anybody is told. Empty: none. ${explainsAttempts}`,
  },
  {
    name: 'tries',
    type: 'count',
    label: 'Times an hour',
    default: 1,
    min: 1,
    max: 5,
    explains: 'More than a few restarts hide that something does not stay well.',
  },
  {
    name: 'tries.wait',
    type: 'duration',
    label: 'Give each try',
    default: 2 * minute,
    min: 10 * second,
    max: hour,
    explains: 'So long it has to show whether it helped.',
  },
]
/** Where restarting a service may help; an agent that is not heard cannot be asked. */
const restartable: readonly Subject[] = ['disk', 'eventlog', 'performance', 'process', 'file', 'counter', 'certificate']

function common(kind: WatchKind): readonly Parameter[] {
  const tried = kind.acts ? itself : restartable.includes(kind.subject) && kind.collector !== 'drives' ? another : []
  return [...(isPaced(kind.collector) ? pace : []), ...always, ...tried]
}

/** What is tried before anybody is told, as a sentence of its own. */
function attemptsSentence(kind: WatchKind, parameters: readonly Parameter[], values: Values): SentencePart[] {
  const say = sayer(parameters, values)
  const often = () =>
    sentence`up to ${say('tries', read.number(values, 'tries') === 1 ? 'once' : `${read.number(values, 'tries')} times`)} an hour, and waits ${say('tries.wait')} each time`
  if (!kind.acts)
    return values['restart.service'] ? sentence` The agent first restarts ${say('restart.service')}, ${often()}.` : []
  return values.tries ? sentence` The agent first ${kind.acts(values, '')!.verb}s it itself, ${often()}.` : []
}

/** What is set of the parameters that every kind has, as a sentence of its own; nothing where nothing is set. */
function commonSentence(kind: WatchKind, parameters: readonly Parameter[], values: Values): SentencePart[] {
  const say = sayer(parameters, values)
  // A kind may have one of its own by that name, and says it itself.
  const set = (name: string) =>
    parameters.some((parameter) => parameter.name === name) &&
    values[name] !== undefined &&
    values[name] !== null &&
    values[name] !== ''
  const parts: SentencePart[][] = []
  if (set('every')) parts.push(sentence`every ${say('every')}`)
  if (set('recheck')) parts.push(sentence`every ${say('recheck')} once it fails`)
  if (set('hours')) parts.push(sentence`only ${say('hours')}`)
  const looks = parts.flatMap((part, i) => (i === 0 ? part : [{ text: ', ' }, ...part]))
  return [
    ...(looks.length ? sentence` It looks ${looks}.` : []),
    ...attemptsSentence(kind, parameters, values),
    ...(set('todo') ? sentence` Then: ${say('todo')}` : []),
  ]
}

/**
 * A kind with the parameters that every watch has: how often and at which hours it looks, what is tried first, and
 * what to do then.
 */
export function withCommon(kind: WatchKind): WatchKind {
  const added = common(kind)
  const restarts: Pick<WatchKind, 'acts'> = added.some((parameter) => parameter.name === 'restart.service')
    ? {
        acts: (values) =>
          values['restart.service'] ? { verb: 'restart', service: read.text(values, 'restart.service') } : null,
      }
    : {}
  return {
    ...kind,
    ...restarts,
    parameters: [...kind.parameters, ...added],
    sentence: (values) => [...kind.sentence(values), ...commonSentence(kind, added, values)],
  }
}
