import { allTimes, fallingOn, noSamples, timesOfBoth, type Falling, type Trend } from '../../../series'
import { bytesText, lengthBetweenText, percentText } from '../../../text'
import { day, gigabyte, minute, type Bytes, type Millis } from '../../../units'
import { read, type Observation, type WatchKind } from '../../kind'
import type { Parameter } from '../../parameter'
import { filledBy, isJustFalling, knownTrend, mayFill, type Filled } from './filled'
import { askedOf, isBelow, isClear, isTrue, levels, measures, type Limits } from './levels'
import { spaceSentence } from './spaceSentence'
import { choosingDisks, isDiskGone, isDiskNamed, isDiskWanted, whichDisks } from './which'

const share = { type: 'percent', min: 0, max: 1, optional: true } as const
const size = { type: 'bytes', min: 0, max: 1e18, optional: true } as const
const left = { type: 'duration', min: minute, max: 400 * day, optional: true, default: null } as const

const explainsPace = 'At its pace of the last three weeks, or of the last hours where it falls as never in that time.'

const parameters: readonly Parameter[] = [
  ...whichDisks,
  {
    ...share,
    name: 'warning.percent',
    label: 'Warning below',
    default: 0.1,
    explains: 'Free space as a share, as df counts it. 10 % is common practice, no source.',
  },
  {
    ...size,
    name: 'warning.bytes',
    label: 'Warning and below',
    default: 20 * gigabyte,
    explains: 'Percentage alone raises false alarms on large disks, so all that is set must be true.',
  },
  {
    ...left,
    name: 'warning.left',
    label: 'Warning and full within',
    explains: `${explainsPace} All that is set must be true, so that a full disk that stays as it is needs nobody.`,
  },
  {
    ...left,
    name: 'warning.soon',
    label: 'Warning or full within',
    explains: `${explainsPace} However much is free: in time for somebody to do something.`,
  },
  { ...share, name: 'critical.percent', label: 'Critical below', default: 0.05, explains: 'Free space as a share.' },
  {
    ...size,
    name: 'critical.bytes',
    label: 'Critical and below',
    default: 10 * gigabyte,
    explains: 'As for the warning.',
  },
  { ...left, name: 'critical.left', label: 'Critical and full within', explains: 'As for the warning.' },
  { ...left, name: 'critical.soon', label: 'Critical or full within', explains: 'As for the warning.' },
  {
    name: 'hold',
    type: 'duration',
    label: 'Hold',
    default: 15 * minute,
    max: 86_400_000,
    explains: 'How long it must be so without a gap; a copy that is deleted again raises nothing.',
  },
  {
    ...share,
    name: 'clear.percent',
    label: 'Clear above',
    default: 0.12,
    explains: 'A little above the threshold, so that the alert does not come and go.',
  },
  {
    ...size,
    name: 'clear.bytes',
    label: 'Clear or above',
    default: 24 * gigabyte,
    explains: 'One of these is enough: on a large disk the bytes say that it is well long before the share does.',
  },
  {
    ...left,
    name: 'clear.left',
    label: 'Clear when not full within',
    explains: 'A little more than the warning’s. Off: as soon as the warning’s is over.',
  },
  {
    name: 'clear.hold',
    type: 'duration',
    label: 'Clear after',
    default: 5 * minute,
    max: 86_400_000,
    explains: 'How long it must be well again.',
  },
]

function textOf(free: Bytes, total: Bytes, filled: Filled): string {
  const text = `${percentText(free / total)} and ${bytesText(free)} free of ${bytesText(total)}`
  if (filled === null || typeof filled === 'string') return text
  const by = filled.by === 'days' ? '' : ' at the pace of the last hours, as never in three weeks'
  return `${text}, full in ${lengthBetweenText(filled.soonest, filled.latest)}${by}`
}

export const diskSpace: WatchKind = {
  name: 'disk-space',
  title: 'Free disk space',
  subject: 'disk',
  collector: 'disks',
  metric: 'disk.free',
  about: [...levels, 'clear'].flatMap((level) => [...measures, 'soon'].map((name) => `${level}.${name}`)),
  asksDays: (values) => askedOf(values).asksDays,
  lines(values, facts, instance) {
    const size = facts.disks?.find((disk) => disk.mount === instance)?.size
    return levels.flatMap((severity) => {
      const { percent, bytes } = askedOf(values)[severity]
      // All must be true: the lowest one decides.
      const limits = [
        ...(bytes === null ? [] : [bytes]),
        ...(percent === null || size === undefined ? [] : [percent * size]),
      ]
      return limits.length ? [{ severity, value: Math.min(...limits) }] : []
    })
  },
  choosing: choosingDisks,
  parameters,
  sentence: (values) => spaceSentence(parameters, values),
  hold: (values) => ({ for: read.number(values, 'hold') }),
  clearHold: (values) => ({ for: read.number(values, 'clear.hold') }),
  gone: (values, { facts }, mount) => isDiskGone(values, facts, mount),
  suspects(values, { series }, days) {
    const { asksDays, warning, critical } = askedOf(values)
    const isSuspect = (limits: Limits, trend: Trend | null, free: Bytes, total: Bytes, at: Millis) => {
      const { left, soon } = limits
      return (
        (isBelow(limits, free, total) && (left === null || mayFill(trend, free, at, left))) ||
        (soon !== null && mayFill(trend, free, at, soon))
      )
    }
    const found = series
      .filter(({ metric, instance }) => metric === 'disk.free' && isDiskNamed(values, instance))
      .map(({ instance, samples }) => {
        const trend = asksDays ? knownTrend(days?.get(instance)) : null
        const sizes = series.find(({ metric, instance: other }) => metric === 'disk.size' && other === instance)
        return timesOfBoth(
          samples,
          sizes?.samples ?? noSamples,
          (free, size, at) =>
            size !== 0 && (isSuspect(warning, trend, free, size, at) || isSuspect(critical, trend, free, size, at)),
        )
      })
    return allTimes(found)
  },
  observe(values, { at, readings, facts, days }, memo) {
    const disks = new Map(facts.disks?.map((disk) => [disk.mount, disk]))
    const sizes = new Map<string, number>()
    for (const [metric, mount, value] of readings) if (metric === 'disk.size') sizes.set(mount, value)
    const asked = askedOf(values)
    const observations: Observation[] = []
    for (const [metric, mount, free] of readings) {
      const total = sizes.get(mount)
      if (metric !== 'disk.free' || !total) continue
      const disk = disks.get(mount)
      // What is meant to be read alone is as full as it was made.
      if (!isDiskWanted(values, mount, disk) || disk?.readOnly === 'meant') continue
      const trend = asked.asksDays ? knownTrend(days?.get(mount)) : null
      const isClose =
        asked.isSoonUsed || levels.some((level) => asked[level].left !== null && isBelow(asked[level], free, total))
      const falling = trend && isClose ? fallingOn((memo(mount) as Falling | undefined) ?? null, trend, free, at) : null
      const filled = asked.asksDays ? (days ? filledBy(trend, falling, free, at) : 'unknown') : null
      const failing = levels.filter((level) => isTrue(asked[level], free, total, filled))
      observations.push({
        instance: mount,
        failing,
        // It falls as never before, and how fast is not known yet: no time to call it well.
        well: failing.length === 0 && !isJustFalling(falling) && isClear(asked, free, total, filled),
        evidence: () => ({ text: textOf(free, total, filled), value: free }),
        ...(falling ? { memo: falling } : {}),
      })
    }
    return observations
  },
}
