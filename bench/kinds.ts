import {
  day,
  evaluate,
  hour,
  isReplayable,
  learnUsual,
  metrics,
  minute,
  replay,
  shippedPrograms,
  unusualKindOf,
  usualKey,
  watchKind,
  watchKinds,
  type DeviceState,
  type HourOfUsual,
  type Observed,
  type Recorded,
  type Usual,
  type WatchInForce,
} from '#core'
import { estateOf } from '../packages/standins/src/estate'
import { SimulatedDevice } from '../packages/standins/src/fleet/simulated'
import { DiskDaysSoFar } from './diskDays'

const say = (text: string) => process.stdout.write(`${text}\n`)
const judge = (isMet: boolean) => (isMet ? 'met ' : 'MISS')
/** A plain loop is some times quicker than what also keeps holds, states and evidence: no less than this part of it. */
const leastOfBare = 1 / 5

const start = Math.floor(Date.now() / day) * day - 2 * day
const plan = estateOf(0, 'bench').devices.find(({ name }) => name === 'sv-imaging-1')!
const device = new SimulatedDevice({ ...plan, services: [...plan.services, 'nginx'] }, 'bench', start + 30 * day)
device.collect = {
  ...device.collect,
  processes: [{ name: 'image-receiver', path: '', arguments: '', user: '' }],
  counters: shippedPrograms
    .filter(({ name }) => name === 'nginx')
    .map(({ name, from, counters }) => ({ name, from, say: '', old: null, counters })),
}
/** What was least and most free on its disks on the three weeks before, by a look each half hour. */
const disks = new DiskDaysSoFar()
for (let at = start - 21 * day; at < start; at += 30 * minute) disks.add(at, device.readings(at))
const days = disks.before(start)
/** What is usual for its series, by three weeks. */
function usualOf(): ReadonlyMap<string, Usual> {
  const hours = new Map<string, HourOfUsual[]>()
  for (let at = start - 28 * day; at < start; at += hour)
    for (const [metric, instance, mean] of device.readings(at + hour / 2)) {
      if (!unusualKindOf(metric)) continue
      const key = usualKey(metric, instance)
      hours.set(key, [...(hours.get(key) ?? []), { at, mean, count: 60 }])
    }
  return new Map([...hours].map(([key, list]) => [key, learnUsual(list, 'UTC', { least: 1e-3 })!]))
}
const usual = usualOf()

/** What a server tells within a day, a report each minute, everything in it each time. */
const reports: Observed[] = Array.from({ length: 1440 }, (_, i) => {
  const at = start + i * minute
  return {
    at,
    heardAt: at,
    interval: minute,
    zone: 'UTC',
    readings: device.readings(at),
    facts: device.facts(at),
    events: device.events(at - minute, at),
    failed: [],
    days,
    usual,
  }
})

/** Its readings in columns, for what evaluates much at once. */
const recorded: Recorded = {
  times: Float64Array.from(reports, ({ at }) => at),
  series: reports[0]!.readings.map(([metric, instance], index) => ({
    metric,
    instance,
    samples: {
      at: Float64Array.from(reports, ({ at }) => at),
      value: Float64Array.from(reports, ({ readings }) => readings[index]![2]),
    },
  })),
}

/** Watched as the library has it, where it does: with all that it asks. */
const asked: Readonly<Record<string, WatchInForce['values']>> = {
  process: { name: 'image-receiver' },
  'program-counters': { program: 'nginx' },
  'counter-number': { counters: ['nginx: connections'], warning: 500 },
  'counter-rate': { counters: ['nginx: requests'], warning: 500 },
  'unusual-counter': { counters: ['nginx: connections'] },
  'unusual-counter-rate': { counters: ['nginx: requests'] },
  'disk-space': { 'warning.soon': 5 * day, 'critical.soon': day, 'clear.left': 7 * day },
}
const inForce = (kind: string, more: WatchInForce['values'] = {}): WatchInForce => ({
  key: 'watch',
  kind,
  standing: 'active',
  values: {
    ...Object.fromEntries(watchKind(kind).parameters.map(({ name, default: value }) => [name, value])),
    ...asked[kind],
    ...more,
  },
})

/** How often a second something can be done, the best of three. @param work does it so many times at once */
function rateOf(times: number, work: () => void): number {
  work()
  let best = 0
  for (let round = 0; round < 3; round++) {
    const [began, cpu] = [performance.now(), process.cpuUsage()]
    let done = 0
    while (performance.now() - began < 400) {
      work()
      done += times
    }
    const { user, system } = process.cpuUsage(cpu)
    best = Math.max(best, done / ((user + system) / 1e6))
  }
  return best
}

/** A threshold with a hold over an array, and nothing else. */
function bareLoop(): number {
  const { at, value } = recorded.series[0]!.samples
  let raised = 0
  const rate = rateOf(value.length, () => {
    let since = -1
    for (let i = 0; i < value.length; i++) {
      if (value[i]! <= 0.97) since = -1
      else if (since < 0) since = at[i]!
      else if (at[i]! - since >= 15 * minute) raised++
    }
  })
  if (raised < 0) throw new Error('it raises nothing')
  return rate
}

const millions = (value: number) => `${(value / 1e6).toFixed(value < 1e6 ? 3 : 1)} M/s`
const bare = bareLoop()
say(`A threshold and a hold over an array, and nothing else: ${millions(bare)} readings on one core.`)
say('Each kind by its defaults, on a day of one server; on one core:')
const overSpan = { by: 'mean', span: hour }
const all = [...watchKinds.keys()].sort().map((kind) => ({ kind, name: kind, watch: inForce(kind) }))
// What remembers how it was costs more.
all.push({ kind: 'cpu-busy', name: 'cpu-busy, a mean', watch: inForce('cpu-busy', overSpan) })
for (const { kind, name, watch } of all) {
  const roster = [watch]
  let posts = 0
  const looks = rateOf(reports.length, () => {
    let state: DeviceState = new Map()
    for (const report of reports) state = evaluate(state, roster, report).state
  })
  for (const report of reports.slice(0, 60))
    posts += watchKind(kind).observe(roster[0]!.values, report, () => undefined).length / 60
  const line = `  ${name.padEnd(18)} ${millions(looks).padStart(10)} reports, ${posts.toFixed(1).padStart(5)} posts each`
  const read = recorded.series.filter(({ metric }) => metric === watchKind(kind).metric)
  if (!isReplayable(roster[0]!) || !read.length) {
    say(`     ${line}`)
    continue
  }
  const many = rateOf(read.length * recorded.times.length, () => {
    replay(new Map(), roster, recorded, { interval: minute, facts: reports[0]!.facts, zone: 'UTC', days })
  })
  const isLevel = metrics[read[0]!.metric].instance === null && watch.values.by !== overSpan.by
  say(
    `${isLevel ? judge(many >= bare * leastOfBare) : '    '} ${line}; much at once ${millions(many)} readings, 1/${(bare / many).toFixed(1)} of the bare loop`,
  )
}
