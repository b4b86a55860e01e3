import type { Facts } from '../../../estate'
import {
  allTimes,
  metrics,
  noSamples,
  readingText,
  timesBeyond,
  timesShareBeyond,
  type MetricName,
  type Reading,
  type Unit,
} from '../../../series'
import type { Severity } from '../../../severity'
import { chosen, durationText, percentText } from '../../../text'
import { day, minute, type Millis } from '../../../units'
import { read, type Observation, type Recorded, type Subject, type WatchKind } from '../../kind'
import type { Parameter, ParameterType, Values } from '../../parameter'
import { sayer, sentence, type Say, type SentencePart } from '../../sentence'
import { silentIntervals } from '../silence'
import { judgedBy, nextSpan, reachOf, type JudgedBy, type SpanMemo } from './span'

/** What of a device a gauge has a value of each of, and how a watch chooses among them. */
export interface Parts {
  /** The parameter that names them, and what one and several are called. */
  name: string
  label: string
  one: string
  many: string
  /** Which are meant where nobody says; absent: every. */
  usually?: readonly string[]
  /** Whether one is no longer there; absent: where the list is told without it. */
  isGone?(facts: Facts, name: string): boolean
  /** Those that there are; undefined: the agent did not tell. */
  of(facts: Facts): { name: string; title: string }[] | undefined
}

interface Gauge {
  name: string
  title: string
  metric: MetricName
  /** Others that are read like it; the larger counts. */
  or?: MetricName
  /** Its levels are shares of what this one reads. */
  shareOf?: MetricName
  /** How the sentence calls it: “When … is above”; of parts, in front of “of every …”. */
  words: string
  type: Extract<ParameterType, 'percent' | 'bytes' | 'number' | 'duration'>
  /** What stands behind a level, where the number alone says too little. */
  unitWords?: string
  /** `above`: large is bad; `below`: small is bad. */
  bad: 'above' | 'below'
  levels: Partial<Record<Severity, number>>
  /** Null: what the levels are is anybody's to say, and it is well when none of them is true. */
  clear: number | null
  hold: Millis
  explains: string
  collector?: 'performance' | 'network' | 'sessions' | 'counters'
  subject?: Subject
  parts?: Parts
  /** The name of a part says what was read of it. */
  isSaidByPart?: true
  /** What else of the same report belongs to what was seen, in words. */
  also?(readings: readonly Reading[], facts: Facts, instance: string): string
}

const order = ['notice', 'warning', 'critical'] as const
const none: readonly Severity[] = []

const spanParameters: readonly Parameter[] = [
  {
    name: 'by',
    type: 'choice',
    label: 'Judged by',
    choices: judgedBy,
    default: 'last value',
    explains:
      'The value of each look, which must then hold; or what a span comes to, which tells at once: a mean that no short quiet moment interrupts, an extreme that no short moment escapes, or the share of its time beyond the level.',
  },
  {
    name: 'span',
    type: 'duration',
    label: 'Span',
    default: 15 * minute,
    min: minute,
    max: day,
    explains:
      'What it is judged by is taken over so long, unless it is the last value. After a restart of the agent or a gap it is judged again once it is whole; what is bad already is told before.',
  },
  {
    name: 'share',
    type: 'percent',
    label: 'Share of the span',
    default: 0.5,
    min: 0.01,
    max: 1,
    explains: 'For the share of time alone: beyond the level for so much of the span.',
  },
]

export function partParameters({ name, label, many, usually = ['*'] }: Parts): readonly Parameter[] {
  return [
    {
      name,
      type: 'patterns',
      label,
      default: usually,
      explains: `Names as the system has them, with * for any run of characters. The device’s own list is there to pick from.`,
    },
    {
      name: 'except',
      type: 'patterns',
      label: `${label} left out`,
      default: [],
      adds: true,
      explains: `These ${many} stay out even when the first list names them.`,
    },
  ]
}

/** What is asked of each look, worked out once for the same values. */
interface Asked {
  limits: readonly { severity: Severity; limit: number }[]
  /** Where none is said, the first level; NaN: there is none, and nothing lies beyond it. */
  clear: number
  by: JudgedBy
  span: Millis
  share: number
}
const known = new WeakMap<Values, Asked>()
function askedOf(values: Values): Asked {
  let asked = known.get(values)
  if (!asked) {
    const limits = order.flatMap((severity) => {
      const limit = read.optional(values, severity)
      return limit === null ? [] : [{ severity, limit }]
    })
    asked = {
      limits,
      clear: read.optional(values, 'clear') ?? limits[0]?.limit ?? NaN,
      // What is kept of before there was a choice does not say.
      by: (read.text(values, 'by') || 'last value') as JudgedBy,
      span: read.number(values, 'span'),
      share: read.number(values, 'share'),
    }
    known.set(values, asked)
  }
  return asked
}

/**
 * A watch kind for one gauge of a device, or of each of its parts: three levels, one hold, one clear value with its own
 * time; judged by the last value, or by what a span comes to.
 */
export function gauge(spec: Gauge): WatchKind {
  const { type, bad, title, metric, or, shareOf, parts, collector = 'performance', unitWords = '' } = spec
  const range = { type, min: 0, max: type === 'percent' ? 1 : 1e15 } as const
  const sign = bad === 'above' ? 1 : -1
  const isBeyond = (value: number, limit: number) => (bad === 'above' ? value > limit : value < limit)
  const unit: Unit = shareOf ? 'ratio' : metrics[metric].unit
  const parameters: readonly Parameter[] = [
    ...(parts ? partParameters(parts) : []),
    ...order.map((level): Parameter => ({
      ...range,
      name: level,
      label: `${level} ${bad}`,
      default: spec.levels[level] ?? null,
      optional: true,
      explains: spec.explains,
    })),
    {
      name: 'hold',
      type: 'duration',
      label: 'Hold',
      default: spec.hold,
      max: day,
      explains: 'A short spike can happen; it must last. Not waited for where a span is judged.',
    },
    {
      ...range,
      name: 'clear',
      label: 'Clear',
      default: spec.clear,
      ...(spec.clear === null ? { optional: true } : {}),
      explains: `A little on the good side of the threshold, so that the alert does not come and go.${spec.clear === null ? ' Off: when no level is true.' : ''}`,
    },
    {
      name: 'clear.hold',
      type: 'duration',
      label: 'Clear after',
      default: 5 * minute,
      max: day,
      explains: 'How long it must be well again.',
    },
    ...spanParameters,
  ]

  const isNamed = (values: Values, instance: string) =>
    !parts || chosen(read.list(values, parts.name), read.list(values, 'except'), instance)

  const reading = (readings: readonly Reading[], name: MetricName, instance = ''): number | undefined => {
    for (const each of readings) if (each[0] === name && each[1] === instance) return each[2]
    return undefined
  }
  /** The value of the device, or of each of its parts that is wanted. */
  function valuesIn(values: Values, readings: readonly Reading[]): [instance: string, value: number][] {
    if (!parts) {
      const value = reading(readings, metric)
      const whole = shareOf === undefined ? 1 : reading(readings, shareOf)
      return value === undefined || !whole ? [] : [['', value / whole]]
    }
    const found: [string, number][] = []
    for (const [name, instance, value] of readings) {
      if (name !== metric || !isNamed(values, instance)) continue
      const other = or === undefined ? undefined : reading(readings, or, instance)
      found.push([instance, other === undefined ? value : Math.max(value, other)])
    }
    return found
  }

  const gapOf = (values: Values, interval: Millis) =>
    silentIntervals * Math.max(interval, read.optional(values, 'every') ?? 0)

  /** What one value, and what a span came to, say of a post. */
  function judge(
    asked: Asked,
    at: Millis,
    value: number,
    gap: Millis,
    memo: unknown,
  ): Pick<Observation, 'failing' | 'well' | 'memo'> & { figure: number | null } {
    const { limits, clear, by, span, share } = asked
    const beyond = (figure: number): readonly Severity[] =>
      limits.some(({ limit }) => isBeyond(figure, limit))
        ? limits.filter(({ limit }) => isBeyond(figure, limit)).map(({ severity }) => severity)
        : none
    if (by === 'last value') {
      const failing = beyond(value)
      return { failing, well: failing === none && !isBeyond(value, clear), figure: value }
    }
    const asks = (each: number) => [...limits.map(({ limit }) => isBeyond(each, limit)), isBeyond(each, clear)]
    const seen = nextSpan(memo as SpanMemo | undefined, { at, value }, { by, span, gap }, asks)
    const { figures, isWhole } = seen
    const unknown = { failing: none, well: false, figure: null, memo: seen.memo }
    if (!figures) return unknown
    if (by === 'share of time') {
      const failing = limits.filter((_, i) => figures[i]! >= share).map(({ severity }) => severity)
      const well = isWhole && !failing.length && figures.at(-1)! < share
      const first = failing.length ? figures[limits.findIndex(({ severity }) => severity === failing.at(-1))]! : null
      return { failing, well, figure: first ?? figures[0]!, memo: seen.memo }
    }
    // Of a part of a span only the worst that was is known already.
    const isKnown = isWhole || by === (bad === 'above' ? 'maximum' : 'minimum')
    if (!isKnown) return unknown
    const figure = figures[0]!
    const failing = beyond(figure)
    return { failing, well: isWhole && !failing.length && !isBeyond(figure, clear), figure, memo: seen.memo }
  }

  function text(asked: Asked, instance: string, value: number, figure: number | null, failing: readonly Severity[]) {
    const { by, span, limits } = asked
    const ofPart = spec.isSaidByPart ? instance : `${instance}: ${title.toLowerCase()}`
    const name = instance ? ofPart : title
    if (by === 'last value' || figure === null) return `${name} ${readingText(unit, value)}`
    if (by !== 'share of time') return `${name} ${readingText(unit, figure)}, ${by} over ${durationText(span)}`
    const told = limits.find(({ severity }) => severity === failing.at(-1)) ?? limits[0]
    return told
      ? `${name} ${bad} ${readingText(unit, told.limit)} for ${percentText(figure)} of ${durationText(span)}`
      : `${name} ${readingText(unit, value)}`
  }

  const samplesOf = ({ series }: Recorded, name: MetricName | undefined, instance: string) =>
    series.find((each) => each.metric === name && each.instance === instance)?.samples ?? noSamples

  return {
    name: spec.name,
    title,
    subject: spec.subject ?? 'performance',
    collector,
    metric,
    about: [...order, 'clear', 'by', 'span', 'share'],
    parameters,
    ...(parts
      ? {
          choosing: { include: parts.name, except: 'except', of: (facts) => parts.of(facts) ?? [] },
          gone: (values, { facts }, instance) => !isNamed(values, instance) || isPartGone(parts, facts, instance),
        }
      : {}),
    lines: (values) =>
      askedOf(values).limits.map(({ severity, limit }) => ({
        severity,
        value: limit,
        ...(shareOf ? { shareOf } : {}),
      })),
    sentence(values) {
      const say = sayer(parameters, values)
      const { by, limits } = askedOf(values)
      const level = (name: string) => sentence`${say(name)}${unitWords}`
      const lasts = by === 'last value' ? sentence` for ${say('hold')}` : []
      const raise = limits.flatMap(({ severity }, i) =>
        i === 0
          ? sentence`${bad} ${level(severity)}${lasts}, raise ${severity}`
          : sentence`; ${bad} ${level(severity)}, ${severity}`,
      )
      const none =
        spec.clear === null
          ? sentence`${bad} ${say('warning', 'a level yet to be named')}, raise warning`
          : [{ text: 'at any level, nothing is asked' }]
      const told = raise.length ? raise : none
      const clears =
        read.optional(values, 'clear') === null
          ? sentence`clear when ${say('clear', 'it is not')} for`
          : sentence`clear ${bad === 'above' ? 'below' : 'above'} ${level('clear')} for`
      return sentence`When ${spec.words}${partsSentence(parts, say, values)} is${spanSentence(say, by)} ${told}; ${clears} ${say('clear.hold')}.`
    },
    hold: (values) => ({ for: askedOf(values).by === 'last value' ? read.number(values, 'hold') : 0 }),
    clearHold: (values) => ({ for: read.number(values, 'clear.hold') }),
    suspects(values, recorded) {
      const limits = askedOf(values).limits.map(({ limit }) => limit)
      if (!limits.length) return []
      const first = bad === 'above' ? Math.min(...limits) : Math.max(...limits)
      if (shareOf)
        return timesShareBeyond(samplesOf(recorded, metric, ''), samplesOf(recorded, shareOf, ''), first, sign)
      return allTimes(
        recorded.series
          .filter((each) => (each.metric === metric || each.metric === or) && isNamed(values, each.instance))
          .map(({ samples }) => timesBeyond(samples, first, sign)),
      )
    },
    counts: (values) => askedOf(values).by !== 'last value',
    reach(values, interval) {
      const { by, span } = askedOf(values)
      return by === 'last value' ? null : reachOf(span, gapOf(values, interval))
    },
    observe(values, { at, interval, readings, facts }, memo) {
      const asked = askedOf(values)
      return valuesIn(values, readings).map(([instance, value]): Observation => {
        const seen = judge(asked, at, value, gapOf(values, interval), memo(instance))
        const { failing, well, figure } = seen
        return {
          instance,
          failing,
          well,
          ...(seen.memo === undefined ? {} : { memo: seen.memo }),
          evidence: () => ({
            ...(instance ? { subject: instance } : {}),
            text: text(asked, instance, value, figure, failing) + (spec.also?.(readings, facts, instance) ?? ''),
            value: figure ?? value,
          }),
        }
      })
    },
  }
}

export function isPartGone(parts: Parts, facts: Facts, instance: string): boolean {
  return parts.isGone?.(facts, instance) ?? parts.of(facts)?.every(({ name }) => name !== instance) ?? false
}

export function partsSentence(parts: Parts | undefined, say: Say, values: Values): SentencePart[] {
  if (!parts) return []
  const names = read.list(values, parts.name)
  const isEvery = names.length === 1 && names[0] === '*'
  if (!names.length) return sentence` of ${say(parts.name, `a ${parts.one} yet to be named`)}`
  const which = isEvery
    ? [say(parts.name, `every ${parts.one}`)]
    : sentence`${names.length === 1 ? parts.one : parts.many} ${say(parts.name)}`
  const except = read.list(values, 'except').length ? sentence` except ${say('except')}` : []
  return sentence` of ${which}${except}`
}

function spanSentence(say: Say, by: JudgedBy): SentencePart[] {
  if (by === 'last value') return []
  if (by === 'share of time') return sentence`, ${say('by', 'for')} ${say('share')} of ${say('span')},`
  return sentence`, by its ${say('by')} over ${say('span')},`
}
