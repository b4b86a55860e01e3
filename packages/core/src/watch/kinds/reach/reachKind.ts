import { checkName, isAddress, isHostName, millisText, probeGoodText, type ProbeCheck } from '../../../reach'
import type { Severity } from '../../../severity'
import { day, hour, minute, second, type Millis } from '../../../units'
import { read, type Evidence, type LookPlan, type WatchKind } from '../../kind'
import type { Parameter, Values } from '../../parameter'
import { sayer, sentence, type Say, type SentencePart } from '../../sentence'
import { agreementOf, downSince, downText, isEarly, reachedBy, troubleText, type Agreement } from './agreement'

const severity = { type: 'choice', choices: ['notice', 'warning', 'critical'] } as const
const isHost = { test: (text: string) => isAddress(text) || isHostName(text) }

const whereFrom: readonly Parameter[] = [
  {
    name: 'host',
    type: 'text',
    label: 'Address',
    default: '',
    form: { is: isHost, says: 'an address such as 198.51.100.7, or a name such as shop.example' },
    explains:
      'Where it is looked at: within the networks of the device’s site, or among the addresses that the site names. Empty: the device’s own.',
  },
  {
    name: 'from',
    type: 'patterns',
    label: 'From',
    default: [],
    explains:
      'Devices of the client that look, by their names, with *; they need an agent. Empty: servers of its site, and where there are none, whatever else has an agent there.',
  },
  {
    name: 'most',
    type: 'count',
    label: 'So many look',
    default: 2,
    min: 1,
    max: 5,
    explains:
      'The first of them, in the order in which they were added. Two: one that has trouble of its own raises nothing.',
  },
  {
    name: 'agree',
    type: 'count',
    label: 'So many agree',
    default: 2,
    min: 1,
    max: 5,
    explains: 'Told when so many of those that can look see it; where fewer look, all of them.',
  },
]

const paceOf = (every: Millis, timeout: Millis): readonly Parameter[] => [
  {
    name: 'every',
    type: 'duration',
    label: 'Look every',
    default: every,
    min: 10 * second,
    max: day,
    explains:
      every === 20 * second
        ? 'A port every 20 s, told after three failures, is common practice, no source.'
        : 'How often each of them looks.',
  },
  {
    name: 'recheck',
    type: 'duration',
    label: 'Re-check every',
    default: 20 * second,
    min: 10 * second,
    max: hour,
    explains: 'From the first look that fails until it is confirmed, and back again; the agent does it by itself.',
  },
  {
    name: 'confirm',
    type: 'count',
    label: 'Failures in a row',
    default: 3,
    min: 1,
    max: 20,
    explains: 'A single miss is often a false alarm. 3 are common practice, no source.',
  },
  {
    name: 'clears',
    type: 'count',
    label: 'Good ones in a row',
    default: 2,
    min: 1,
    max: 20,
    explains: 'So that what comes and goes stays one alert.',
  },
  {
    name: 'timeout',
    type: 'duration',
    label: 'Wait',
    default: timeout,
    min: second,
    max: 30 * second,
    explains: 'Without an answer for so long, a look has failed.',
  },
]

const outcomes: readonly Parameter[] = [
  { ...severity, name: 'severity', label: 'Severity', default: 'critical', explains: 'Of a look that fails.' },
  {
    ...severity,
    choices: ['nothing', 'notice', 'warning', 'critical'],
    name: 'trouble',
    label: 'Cannot be looked at',
    default: 'warning',
    explains: 'No device may look, or those that do say nothing: neither well nor down, and nobody would hear of it.',
  },
]

const slowness = (limit: Millis | null): readonly Parameter[] => [
  {
    name: 'slow',
    type: 'duration',
    label: 'Slow above',
    default: limit,
    optional: true,
    min: 1,
    max: minute,
    explains:
      limit === 25
        ? 'The mean of the last minutes. 10 ms are normal and 25 ms are not: common practice, no source.'
        : 'The mean of the last minutes, connection included; its name is looked up before.',
  },
  {
    name: 'slow.for',
    type: 'duration',
    label: 'Slow for',
    default: 5 * minute,
    max: day,
    explains: 'A short spike can happen. 300 s are common practice, no source.',
  },
  {
    ...severity,
    name: 'slow.severity',
    label: 'When slow',
    default: 'warning',
    explains: 'It answers, and people wait.',
  },
]

/** So long nobody may be able to look before that is told: agents come and go. Chosen, no source. */
const troubleAfter: Millis = 2 * minute

interface Memo {
  slowSince?: Millis
  troubleSince?: Millis
}

/** What a kind of its own says of what was told, beside down or not. */
interface Judged {
  failing: Severity[]
  text: string
  value?: number
  /** What it goes by was not told: that is not well. */
  isUnknown?: true
}

export interface ReachSpec {
  name: string
  title: string
  parameters: readonly Parameter[]
  every: Millis
  /** How long it may take to answer. */
  timeout?: Millis
  /** The limit above which it is slow; absent: it is not asked how quickly it answers. */
  slow?: Millis | null
  check(values: Values): ProbeCheck | null
  /** When it is down: *port 443 does not take a connection*. */
  clause(values: Values, say: Say): SentencePart[]
  /** What else is raised, as a part of the sentence. */
  more?(values: Values, say: Say): SentencePart[]
  judge?(values: Values, agreement: Agreement, at: Millis): Judged
}

const paceNames = ['every', 'recheck', 'confirm', 'clears', 'timeout']
const asideNames = ['severity', 'trouble', 'slow.severity', 'most', ...paceNames]

/** A kind of watch about what other devices see. All of them share who looks, how often, and how many must agree. */
export function reachKind(spec: ReachSpec): WatchKind {
  const parameters = [
    ...spec.parameters,
    ...whereFrom,
    ...paceOf(spec.every, spec.timeout ?? 5 * second),
    ...(spec.slow === undefined ? [] : slowness(spec.slow)),
    ...outcomes,
  ]
  const slowLimit = (values: Values) => (spec.slow === undefined ? null : read.optional(values, 'slow'))
  return {
    name: spec.name,
    title: spec.title,
    subject: 'reach',
    collector: null,
    about: parameters.map(({ name }) => name).filter((name) => !asideNames.includes(name)),
    parameters,
    counts: () => true,
    looks(values): LookPlan | null {
      const check = spec.check(values)
      const number = (name: string) => read.number(values, name)
      return (
        check && {
          host: read.text(values, 'host').trim(),
          check,
          pace: {
            every: number('every'),
            recheck: Math.min(number('recheck'), number('every')),
            confirm: number('confirm'),
            clears: number('clears'),
            timeout: number('timeout'),
            slow: slowLimit(values),
          },
          from: read.list(values, 'from'),
          most: number('most'),
        }
      )
    },
    sentence(values) {
      const say = sayer(parameters, values)
      const from = read.list(values, 'from').length ? say('from') : say('from', 'servers of its site')
      const where = values.host ? sentence` at ${say('host')}` : []
      const slow =
        slowLimit(values) === null
          ? []
          : sentence`; when the mean is above ${say('slow', millisText(slowLimit(values)!))} for ${say('slow.for')}, ${say('slow.severity')}`
      const trouble = read.severity(values, 'trouble') ? sentence`; when nobody can look, ${say('trouble')}` : []
      return sentence`Looked at from ${from}, ${say('most')} at most, every ${say('every')}: when ${spec.clause(values, say)}${where} ${say('confirm')} times in a row, for ${say('agree')} of them, raise ${say('severity')}${spec.more?.(values, say) ?? []}${slow}${trouble}; clear after ${say('clears')} good ones.`
    },
    hold: () => ({ for: 0 }),
    clearHold: () => ({ for: 0 }),
    observe(values, { at, looks }, memo) {
      const check = spec.check(values)
      if (!looks || !check) return []
      const host = read.text(values, 'host').trim()
      const subject = checkName(check) + (host && ` at ${host}`)
      const say = (text: string, value?: number) => (): Evidence => ({
        subject,
        text: `${subject} ${text}`,
        ...(value === undefined ? {} : { value }),
      })
      const agreement = agreementOf(looks, {
        agree: read.number(values, 'agree'),
        confirm: read.number(values, 'confirm'),
        clears: read.number(values, 'clears'),
      })
      const before = memo('') as Memo | undefined
      if (!agreement.answers.length) {
        const troubleSince = isEarly(looks) ? undefined : (before?.troubleSince ?? at)
        const isLong = troubleSince !== undefined && at - troubleSince >= troubleAfter
        const level = isLong ? read.severity(values, 'trouble') : null
        const memo = { ...before, ...(troubleSince === undefined ? {} : { troubleSince }) }
        return [
          {
            instance: '',
            failing: level ? [level] : [],
            well: false,
            ...(level ? { since: troubleSince! } : {}),
            evidence: say(`cannot be looked at: ${troubleText(looks, at)}`),
            ...(Object.keys(memo).length ? { memo } : {}),
          },
        ]
      }
      if (agreement.isDown)
        return [
          {
            instance: '',
            failing: [read.severity(values, 'severity')!],
            well: false,
            since: downSince(agreement, at),
            evidence: say(downText(agreement, check)),
          },
        ]
      const judged = spec.judge?.(values, agreement, at)
      const limit = slowLimit(values)
      const mean = reachedBy(
        agreement.answers.flatMap(({ told }) => told.mean ?? told.time ?? []),
        agreement.needed,
      )
      const slowSince = limit !== null && mean !== null && mean > limit ? (before?.slowSince ?? at) : null
      const isSlow = slowSince !== null && at - slowSince >= read.number(values, 'slow.for')
      const failing = [...(judged?.failing ?? []), ...(isSlow ? [read.severity(values, 'slow.severity')!] : [])]
      const evidence =
        judged?.failing.length || !isSlow
          ? say(judged?.text ?? goodText(agreement, at), judged?.value ?? mean ?? undefined)
          : say(
              `answers in ${millisText(mean!)} on average, seen from ${agreement.answers.map(({ from }) => from).join(', ')}`,
              mean!,
            )
      return [
        {
          instance: '',
          failing,
          well: failing.length === 0 && agreement.isUp && slowSince === null && !judged?.isUnknown,
          evidence,
          ...(isSlow && !judged?.failing.length ? { since: slowSince } : {}),
          ...(slowSince === null ? {} : { memo: { slowSince } satisfies Memo }),
        },
      ]
    },
  }
}

function goodText({ answers, down }: Agreement, at: Millis): string {
  const up = answers.find(({ told }) => told.outcome === 'good')
  if (!up) return 'is not confirmed yet'
  const from = answers.filter(({ told }) => told.outcome === 'good').map((answer) => answer.from)
  return `${probeGoodText(up.told, at)}, seen from ${from.join(', ')}${down.length ? `; not from ${down.map((answer) => answer.from).join(', ')}` : ''}`
}
