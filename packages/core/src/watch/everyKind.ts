import { hour, second } from '../units'
import type { Collector, WatchKind } from './kind'
import type { Parameter, Values } from './parameter'
import { sayer, sentence, type SentencePart } from './sentence'

/** Collectors that run as often as the watches of a roster want. The others keep their own time. */
export const pacedCollectors = ['performance', 'disks', 'network', 'services'] as const satisfies readonly Collector[]
export type PacedCollector = (typeof pacedCollectors)[number]

export function isPaced(collector: Collector | null): collector is PacedCollector {
  return pacedCollectors.some((one) => one === collector)
}

const pace: readonly Parameter[] = [
  { name: 'every', type: 'duration', label: 'Look every', default: null, optional: true, min: 10 * second, max: hour, explains: 'How often the agent reads it. Off: with each of its reports. Reading less often costs less and sees short troubles less.' },
  { name: 'recheck', type: 'duration', label: 'Look again every', default: null, optional: true, min: 10 * second, max: hour, explains: 'Once a check fails, until it is confirmed or well again. Every minute is common practice, no source.' },
]

const always: readonly Parameter[] = [
  { name: 'hours', type: 'hours', label: 'Hours', default: '', explains: 'When it looks, on the clocks of the device’s site: Mon–Fri 08:00–20:00. Empty: always. Outside them nothing is raised or cleared.' },
  { name: 'todo', type: 'text', label: 'What to do', default: '', explains: 'Stands in the alert, for whoever takes it.' },
]

function common(kind: WatchKind): readonly Parameter[] {
  return isPaced(kind.collector) ? [...pace, ...always] : always
}

/** What is set of the parameters that every kind has, as a sentence of its own; nothing where nothing is set. */
function commonSentence(parameters: readonly Parameter[], values: Values): SentencePart[] {
  const say = sayer(parameters, values)
  const set = (name: string) => values[name] !== undefined && values[name] !== null && values[name] !== ''
  const parts: SentencePart[][] = []
  if (set('every')) parts.push(sentence`every ${say('every')}`)
  if (set('recheck')) parts.push(sentence`every ${say('recheck')} once it fails`)
  if (set('hours')) parts.push(sentence`only ${say('hours')}`)
  const looks = parts.flatMap((part, i) => (i === 0 ? part : [{ text: ', ' }, ...part]))
  return [...(looks.length ? sentence` It looks ${looks}.` : []), ...(set('todo') ? sentence` Then: ${say('todo')}` : [])]
}

/** A kind with the parameters that every watch has: how often and at which hours it looks, and what to do. */
export function withCommon(kind: WatchKind): WatchKind {
  const added = common(kind)
  return { ...kind, parameters: [...kind.parameters, ...added], sentence: (values) => [...kind.sentence(values), ...commonSentence(added, values)] }
}
