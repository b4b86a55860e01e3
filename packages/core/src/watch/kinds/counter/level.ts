import { counterSeries, isSeriesOf, type CounterMetric } from '../../../counter'
import type { Facts } from '../../../estate'
import { severities } from '../../../severity'
import { minute, second } from '../../../units'
import { read, type WatchKind } from '../../kind'
import type { Parameter, ParameterType, Values } from '../../parameter'
import type { SentencePart } from '../../sentence'
import { gauge, type Parts } from '../performance'

const sides = ['above', 'below'] as const
type Side = (typeof sides)[number]

/** The counters of one metric that the programs of a device tell. */
export const countersOf = (metric: CounterMetric): Parts => ({
  name: 'counters',
  label: 'Counters',
  one: 'counter',
  many: 'counters',
  usually: [],
  of: ({ counters }) =>
    counters?.flatMap(({ series }) =>
      series.filter((each) => each.metric === metric).map(({ name }) => ({ name, title: '' })),
    ),
  isGone,
})

/** Only a program that told its counters says that one is gone; what is not asked for any more is gone, too. */
function isGone({ counters }: Facts, instance: string): boolean {
  if (!counters) return false
  const told = counters.find(({ name }) => isSeriesOf(name, instance))
  if (!told) return true
  const isIts = (counter: string) => {
    const name = counterSeries(told.name, counter)
    return instance === name || instance.startsWith(`${name} of `)
  }
  if (told.trouble !== undefined || told.missing.some(isIts)) return false
  return told.series.every(({ name }) => name !== instance)
}

interface Level {
  name: string
  title: string
  metric: CounterMetric
  type: Extract<ParameterType, 'percent' | 'bytes' | 'number' | 'duration'>
  words: string
  unitWords?: string
}

const sideParameter: Parameter = {
  name: 'side',
  type: 'choice',
  label: 'Bad is',
  choices: sides,
  default: 'above',
  explains: 'Above: too much of it, such as waiting. Below: too little of it, such as requests, or what is still free.',
}

const sideOf = (values: Values): Side => (read.text(values, 'side') === 'below' ? 'below' : 'above')

/** Levels of a counter, which may be bad on either side. */
function counterLevel({ name, title, metric, type, words, unitWords = '' }: Level): WatchKind {
  const parts = countersOf(metric)
  const way = (bad: Side) =>
    gauge({
      name,
      title,
      metric,
      type,
      words,
      unitWords,
      parts,
      bad,
      levels: {},
      clear: null,
      hold: 5 * minute,
      collector: 'counters',
      subject: 'counter',
      isSaidByPart: true,
      explains: 'What is too much, or too little, is each program’s own: there is no usual value.',
    })
  const ways: Readonly<Record<Side, WatchKind>> = { above: way('above'), below: way('below') }
  const of = (values: Values) => ways[sideOf(values)]
  const { above } = ways
  const limitsOf = type === 'duration' ? inSeconds : (values: Values) => values
  const [names, except, ...rest] = above.parameters
  const parameters = [
    names!,
    except!,
    sideParameter,
    ...rest.map((each) => ({ ...each, label: each.label.replace(/ above$/, '') })),
  ]
  return {
    ...above,
    parameters,
    about: [...above.about, sideParameter.name],
    lines: (values, facts, instance) => above.lines!(limitsOf(values), facts, instance),
    sentence: (values) =>
      of(values)
        .sentence(values)
        .map((part) => sayingSide(part, sideOf(values))),
    suspects: (values, recorded) => of(values).suspects!(limitsOf(values), recorded),
    observe: (values, observed, memo) => of(values).observe(limitsOf(values), observed, memo),
  }
}

const inSecondsOf = new WeakMap<Values, Values>()
/** Lengths of time as their metric has them; worked out once for the same values. */
function inSeconds(values: Values): Values {
  let found = inSecondsOf.get(values)
  if (!found) {
    const limits = [...severities, 'clear'].map((name) => [name, read.optional(values, name)] as const)
    const told = limits.map(([name, limit]) => [name, limit === null ? null : limit / second])
    inSecondsOf.set(values, (found = { ...values, ...(Object.fromEntries(told) as Values) }))
  }
  return found
}

/** The word in front of a level is the one to change it by. */
const sayingSide = (part: SentencePart, side: Side): SentencePart =>
  'parameter' in part || part.text !== side ? part : { parameter: sideParameter.name, text: side }

export const counterLevels: readonly WatchKind[] = [
  counterLevel({
    name: 'counter-number',
    title: 'Level of a counter',
    metric: 'counter.number',
    type: 'number',
    words: 'the number',
  }),
  counterLevel({
    name: 'counter-rate',
    title: 'Rate of a counter',
    metric: 'counter.rate',
    type: 'number',
    words: 'the rate',
    unitWords: ' a second',
  }),
  counterLevel({
    name: 'counter-share',
    title: 'Share of a counter',
    metric: 'counter.share',
    type: 'percent',
    words: 'the share',
  }),
  counterLevel({
    name: 'counter-bytes',
    title: 'Size of a counter',
    metric: 'counter.bytes',
    type: 'bytes',
    words: 'the size',
  }),
  counterLevel({
    name: 'counter-flow',
    title: 'Flow of a counter',
    metric: 'counter.flow',
    type: 'bytes',
    words: 'the flow',
    unitWords: ' a second',
  }),
  counterLevel({
    name: 'counter-delay',
    title: 'Delay of a counter',
    metric: 'counter.delay',
    type: 'number',
    words: 'the delay',
    unitWords: ' ms',
  }),
  counterLevel({
    name: 'counter-time',
    title: 'Time of a counter',
    metric: 'counter.time',
    type: 'duration',
    words: 'the time',
  }),
]
