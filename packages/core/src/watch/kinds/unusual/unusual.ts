import type { MetricName, Reading } from '../../../series'
import { metrics, readingText } from '../../../series'
import { ageText, chosen, countText, durationText } from '../../../text'
import { day, hour, minute, type Millis } from '../../../units'
import {
  daysToGo,
  expectedOver,
  daysOfUsual,
  fewestDaysOfUsual,
  usualKey,
  type Expected,
  type Usual,
} from '../../../usual'
import { read, type Evidence, type Observation, type Subject, type WatchKind } from '../../kind'
import type { Parameter, Values } from '../../parameter'
import { sayer, sentence } from '../../sentence'
import { isPartGone, nextSpan, partParameters, partsSentence, reachOf, type Parts, type SpanMemo } from '../performance'
import { silentIntervals } from '../silence'

const directions = ['more', 'less', 'either'] as const
export type Direction = (typeof directions)[number]
const sensitivities = ['low', 'medium', 'high'] as const
export type Sensitivity = (typeof sensitivities)[number]

/** Beyond so many spreads it is unusual. */
export const spreadsOf: Readonly<Record<Sensitivity, number>> = { low: 8, medium: 6, high: 4 }

/** What a watch for the unusual asks of a series. */
export interface UnusualAsked {
  direction: Direction
  sensitivity: Sensitivity
  /** It must differ by so much of what is usual. */
  least: number
  /** The mean over so long counts. */
  span: Millis
  training: Millis
}

export const unusualAsked = (values: Values): UnusualAsked => ({
  direction: read.text(values, 'direction') as Direction,
  sensitivity: read.text(values, 'sensitivity') as Sensitivity,
  least: read.number(values, 'least'),
  span: read.number(values, 'span'),
  training: read.number(values, 'training'),
})

/** Between these a value is as usual. */
export interface UsualBand {
  low: number
  high: number
}

/** What is as usual at one moment, within what the metric can be; a side that is not asked for has no end. */
export function usualBand(
  metric: MetricName,
  { middle, spread }: Expected,
  { direction, sensitivity, least }: Pick<UnusualAsked, 'direction' | 'sensitivity' | 'least'>,
): UsualBand {
  const away = Math.max(spreadsOf[sensitivity] * spread, least * Math.abs(middle))
  const { min, max } = metrics[metric]
  return {
    low: direction === 'more' ? min : Math.max(min, middle - away),
    high: direction === 'less' ? max : Math.min(max, middle + away),
  }
}

/** A part of the way from what is usual to the end of the band: what lies within it is well again. */
const calm = 0.6

const isWithin = (value: number, { low, high }: UsualBand) => value >= low && value <= high

const calmBand = ({ low, high }: UsualBand, { middle }: Expected): UsualBand => ({
  low: middle - calm * (middle - low),
  high: middle + calm * (high - middle),
})

interface Spec {
  name: string
  title: string
  metric: MetricName
  /** How the sentence calls it: “When … is more than usual”. */
  words: string
  collector: 'performance' | 'network' | 'counters'
  subject?: Subject
  direction: Direction
  parts?: Parts
}

function parametersOf({ direction, parts }: Spec): readonly Parameter[] {
  return [
    ...(parts ? partParameters(parts) : []),
    {
      name: 'direction',
      type: 'choice',
      label: 'Direction',
      choices: directions,
      default: direction,
      explains:
        'Less than usual is often the sign of something that stopped, and is told on every holiday that nobody has taken part in yet.',
    },
    {
      name: 'sensitivity',
      type: 'choice',
      label: 'Sensitivity',
      choices: sensitivities,
      default: 'medium',
      explains: `Low: beyond ${spreadsOf.low} times what that hour of the week usually varies by; medium: ${spreadsOf.medium}; high: ${spreadsOf.high}. Chosen by trying them on made series and a real one: ./custode bench --usual prints what each finds.`,
    },
    {
      name: 'least',
      type: 'percent',
      label: 'By at least',
      default: 0.25,
      min: 0,
      max: 10,
      explains:
        'Of what is usual. What is the same every week would else be told for next to nothing. 25 % is chosen, no source.',
    },
    {
      name: 'span',
      type: 'duration',
      label: 'Duration',
      default: hour,
      min: 5 * minute,
      max: 12 * hour,
      explains:
        'The mean over so long must lie beyond it: a single value often does. What is usual is learned of means of an hour; shorter ones vary more, and are told more often.',
    },
    {
      name: 'training',
      type: 'duration',
      label: 'Training',
      default: 21 * day,
      min: fewestDaysOfUsual * day,
      max: daysOfUsual * day,
      explains:
        'Nothing is told of a device before so much is known of it. Three weeks show each hour of the week three times; two are the least, six what is looked back at.',
    },
    {
      name: 'severity',
      type: 'choice',
      label: 'Severity',
      choices: ['notice', 'warning', 'critical'],
      default: 'notice',
      explains: 'Unusual is not broken: somebody looks in the course of the day.',
    },
    {
      name: 'clear.hold',
      type: 'duration',
      label: 'Clear after',
      default: 15 * minute,
      max: day,
      explains: 'How long it must be as usual again.',
    },
  ]
}

const known = new WeakMap<Values, UnusualAsked>()
function askedOf(values: Values): UnusualAsked {
  let asked = known.get(values)
  if (!asked) known.set(values, (asked = unusualAsked(values)))
  return asked
}

/** How it reads that it cannot judge yet; empty: it can. */
export function learningText(usual: Usual | undefined, training: Millis): string {
  const toGo = daysToGo(usual ?? { days: 0 }, training)
  return toGo === 0 ? '' : `learning, ${countText(toGo, 'day')} to go`
}

/**
 * A watch kind that tells when a series of a device is not what it usually is at that hour of the week, by its own
 * past: see `learnUsual`. What is as usual costs nothing to remember: the mean over a span begins with the first value
 * that lies beyond the band, and ends when it is well within it again.
 */
export function unusual(spec: Spec): WatchKind {
  const { metric, parts, collector } = spec
  const parameters = parametersOf(spec)
  const { unit } = metrics[metric]
  const isNamed = (values: Values, instance: string) =>
    !parts || chosen(read.list(values, parts.name), read.list(values, 'except'), instance)

  function bandText(expected: Expected, band: UsualBand, { direction }: UnusualAsked): string {
    const usual = readingText(unit, expected.middle)
    if (direction === 'more') return `usual at this hour is ${usual}, and up to ${readingText(unit, band.high)}`
    if (direction === 'less') return `usual at this hour is ${usual}, and down to ${readingText(unit, band.low)}`
    return `usual at this hour is ${usual}, from ${readingText(unit, band.low)} to ${readingText(unit, band.high)}`
  }

  function judge(
    values: Values,
    usual: Usual | undefined,
    [, instance, value]: Reading,
    at: Millis,
    gap: Millis,
    memo: SpanMemo | undefined,
  ): Omit<Observation, 'instance'> {
    const asked = askedOf(values)
    const { span, training } = asked
    const text = (words: string, figure = value): Evidence => ({
      ...(instance ? { subject: instance } : {}),
      text: `${instance ? `${instance}: ` : ''}${metrics[metric].title}${words}`,
      value: figure,
    })
    if (!usual || daysToGo(usual, training) > 0) {
      // What has stayed so until it counts as usual is no trouble any more.
      const isAccepted = usual !== undefined && usual.beganAnew !== null
      const since = isAccepted ? `, as it has been for ${ageText(at - usual.beganAnew!)}` : ''
      return {
        failing: [],
        well: isAccepted,
        evidence: () => text(` ${readingText(unit, value)}${since}: ${learningText(usual, training)}`),
      }
    }
    const expected = expectedOver(usual, at - span, at)
    if (!expected)
      return {
        failing: [],
        well: false,
        evidence: () => text(` ${readingText(unit, value)}: nothing is known of this hour of the week`),
      }
    const band = usualBand(metric, expected, asked)
    const says = (figure: number, words: string) => () =>
      text(` ${readingText(unit, figure)}${words}; ${bandText(expected, band, asked)}`, figure)
    if (!memo && isWithin(value, band)) return { failing: [], well: true, evidence: says(value, '') }
    const seen = nextSpan(memo, { at, value }, { by: 'mean', span, gap }, () => [])
    const figure = seen.figures?.[0] ?? value
    const over = `, mean over ${durationText(span)}`
    if (isWithin(figure, calmBand(band, expected))) return { failing: [], well: true, evidence: says(figure, over) }
    const isBeyond = seen.isWhole && !isWithin(figure, band)
    return {
      failing: isBeyond ? [read.severity(values, 'severity')!] : [],
      well: false,
      evidence: says(figure, seen.isWhole ? over : ''),
      memo: seen.memo,
      ...(isBeyond ? { since: at - span } : {}),
    }
  }

  return {
    name: spec.name,
    title: spec.title,
    subject: spec.subject ?? 'performance',
    collector,
    metric,
    usual: metric,
    about: ['direction', 'sensitivity', 'least', 'span', 'training'],
    parameters,
    ...(parts
      ? {
          choosing: { include: parts.name, except: 'except', of: (facts) => parts.of(facts) ?? [] },
          gone: (values, { facts }, instance) => !isNamed(values, instance) || isPartGone(parts, facts, instance),
        }
      : {}),
    sentence(values) {
      const say = sayer(parameters, values)
      const { direction } = askedOf(values)
      return sentence`When ${spec.words}${partsSentence(parts, say, values)} is ${say('direction', direction === 'either' ? 'more or less' : direction)} than usual at that hour of the week, for ${say('span')} and by at least ${say('least')}, with ${say('sensitivity')} sensitivity after ${say('training')} of training, raise ${say('severity')}; clear when it has been as usual for ${say('clear.hold')}.`
    },
    hold: () => ({ for: 0 }),
    clearHold: (values) => ({ for: read.number(values, 'clear.hold') }),
    reach: (values, interval) =>
      reachOf(read.number(values, 'span'), silentIntervals * Math.max(interval, read.optional(values, 'every') ?? 0)),
    observe(values, { at, interval, readings, usual }, memo) {
      // Nobody has looked at its past: that says nothing of it.
      if (!usual) return []
      const gap = silentIntervals * Math.max(interval, read.optional(values, 'every') ?? 0)
      return readings.flatMap((reading): Observation[] => {
        const [name, instance] = reading
        if (name !== metric || !isNamed(values, instance)) return []
        const own = usual.get(usualKey(metric, instance))
        return [{ instance, ...judge(values, own, reading, at, gap, memo(instance) as SpanMemo | undefined) }]
      })
    },
  }
}
