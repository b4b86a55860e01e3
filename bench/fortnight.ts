import {
  compilePolicy,
  day,
  daysOfUsual,
  evaluate,
  flipsJudged,
  fromLibrary,
  groupsBy,
  hour,
  learnUsual,
  leastDistance,
  libraryTemplates,
  minute,
  postKey,
  settle,
  splitPostKey,
  usualKey,
  usualMetrics,
  type DeviceState,
  type DeviceTraits,
  type HourOfUsual,
  type Millis,
  type Observed,
  type OpenAlert,
  type PastAlert,
  type PostState,
  type Roster,
  type Target,
  type Usual,
} from '#core'
import { estateOf, osFamilyOf, seed, type PlannedDevice, type Story } from '../packages/standins/src/estate'
import { SimulatedDevice } from '../packages/standins/src/fleet/simulated'
import { DiskDaysSoFar } from './diskDays'

/**
 * Two weeks of the demo's estate through the templates of the library, report by report, as the server judges them,
 * without windows: which alerts there would have been on each device, and whether every trouble that was planted is
 * among them. The estate is the demo's own, a trouble on nearly each device, and others of the same seed, a fifth of
 * which have one.
 */
const say = (text: string) => process.stdout.write(`${text}\n`)
const judge = (isMet: boolean) => (isMet ? 'met ' : 'MISS')
const weeks = 2
const weeksLong = weeks * 7 * day
/** Whole days, so that it comes to the same at whatever hour it is run. */
const end = Math.floor(Date.now() / day) * day
const interval = minute
const zone = 'Europe/Lisbon'
const estate = estateOf(80, seed)
const own = estateOf(0, seed).devices.length

/** The house's own, beside those of the library. */
const desk = (name: string, ...names: string[]) => ({
  name,
  description: '',
  includes: [],
  watches: [
    {
      key: 'services.desk',
      kind: 'service-state',
      name: `${name} services`,
      why: '',
      osFamilies: ['windows' as const],
      values: { which: 'named', names, expected: 'running', severity: 'critical' },
    },
  ],
})
const ownTemplates = [desk('Till', 'till-*'), desk('Loan desk', 'card-reader')]
const template = (name: string, id: number) => {
  const ours = ownTemplates.find((each) => each.name === name)
  if (ours) return { id, revision: 1, ...ours }
  const found = libraryTemplates.find((each) => each.name === name)
  if (!found) throw new Error(`The library has no template “${name}”.`)
  return { id, revision: 1, ...fromLibrary(found) }
}
const assigned: readonly [template: string, target: Target][] = [
  ['Base server', { on: 'kind', kind: 'server' }],
  ['Base workstation', { on: 'kind', kind: 'workstation' }],
  ['Web server', { on: 'role', role: 'web' }],
  ['Database server', { on: 'role', role: 'database' }],
  ['Backup host', { on: 'role', role: 'backup' }],
  ['File server', { on: 'role', role: 'file' }],
  [
    'Unusual load',
    {
      on: 'all',
      of: [
        { on: 'kind', kind: 'server' },
        { on: 'client', clientId: 2 },
      ],
    },
  ],
  [
    'Protection',
    {
      on: 'all',
      of: [
        { on: 'kind', kind: 'workstation' },
        { on: 'client', clientId: 2 },
      ],
    },
  ],
  ['Till', { on: 'role', role: 'till' }],
  ['Loan desk', { on: 'name', pattern: '*-loan-desk-*' }],
]
/** By their place, from one: the second has what is unusual told. */
const clientCodes = estate.clients.map(({ code }) => code)
const policy = compilePolicy({
  templates: assigned.map(([name], i) => template(name, i + 1)),
  assignments: assigned.map(([, target], i) => ({
    id: i + 1,
    templateId: i + 1,
    target,
    rank: 100,
    values: {},
    dormant: false,
    reason: '',
    reviewAt: null,
    revision: 1,
    createdAt: i + 1,
  })),
  exceptions: [],
})

/** What of a story is a trouble that a technician has to hear of, and by which kinds of watches. */
const troubles: { of: keyof Story; kinds: string[]; is?: (story: Story, plan: PlannedDevice) => boolean }[] = [
  { of: 'drive', kinds: ['drive-health'] },
  // What is still half empty stands on the page of disks that fill.
  { of: 'fills', kinds: ['disk-space'], is: ({ fills }) => fills!.to > 0.9 },
  { of: 'down', kinds: ['service-state'] },
  { of: 'flaps', kinds: ['service-state'] },
  { of: 'loops', kinds: ['service-state'] },
  {
    of: 'updates',
    kinds: ['updates'],
    // An archive that does not answer has two days: that of the story has failed for one.
    is: ({ updates }, { kind }) => updates!.oldestDays > (kind === 'server' ? 7 : 14),
  },
  { of: 'backup', kinds: ['log-absence'] },
  { of: 'errors', kinds: ['log-match'] },
  { of: 'definitions', kinds: ['antivirus'] },
  // A workstation may be switched off.
  { of: 'silentFor', kinds: ['silence'], is: (_, { kind }) => kind === 'server' },
  { of: 'busy', kinds: ['cpu-busy'] },
  { of: 'weekly', kinds: ['cpu-busy'] },
  { of: 'changed', kinds: ['memory-available', 'unusual-memory', 'unusual-sent'] },
  { of: 'loop', kinds: ['unusual-cpu'] },
]

/** One post's alerts, opened and closed by the rules of the server: what flips is one. */
interface PostAlerts {
  alert: OpenAlert | null
  /** The newest first. */
  past: PastAlert[]
}

/** Brings the alert of a post to where its state is. @returns whether there is a new one */
function follow(alerts: PostAlerts, post: PostState | undefined, at: Millis): boolean {
  let isNew = false
  const actions = settle({
    standing: { level: post?.level ?? null, began: post?.began ?? null, evidence: post?.evidence ?? null },
    cover: null,
    alert: alerts.alert,
    held: null,
    dismissed: null,
    past: alerts.past.slice(0, flipsJudged - 1),
    remediation: null,
    mayRemediate: false,
    at,
  })
  for (const action of actions) {
    const open = alerts.alert
    switch (action.do) {
      case 'raise':
        isNew = true
        alerts.alert = { severity: action.severity, began: action.began, flips: [], wellSince: null }
        break
      case 'flip':
        alerts.alert = { severity: action.severity, began: action.began, flips: action.beganAt, wellSince: null }
        alerts.past.shift()
        break
      case 'well':
        alerts.alert = { ...open!, wellSince: at }
        break
      case 'fail again':
        alerts.alert = { ...open!, wellSince: null, flips: [...open!.flips, action.began] }
        break
      case 'change':
        alerts.alert = { ...open!, severity: action.severity }
        break
      case 'close':
        alerts.past.unshift({ beganAt: open!.flips.length ? open!.flips : [open!.began] })
        alerts.alert = null
        break
      default:
        throw new Error(`Nothing here leads to “${action.do}”.`)
    }
  }
  return isNew
}

interface Raised {
  at: Millis
  watch: string
  kind: string
  instance: string
  text: string
}

/** What is usual for its series on a day, by the hours of the weeks before. */
function usualOn(device: SimulatedDevice, roster: Roster, today: Millis): ReadonlyMap<string, Usual> {
  const metrics = usualMetrics(roster)
  const hours = new Map<string, HourOfUsual[]>()
  if (metrics.length)
    for (let at = today - daysOfUsual * day; at < today; at += hour)
      for (const [metric, instance, value] of device.readings(at + hour / 2)) {
        if (!metrics.includes(metric)) continue
        const key = usualKey(metric, instance)
        const list = hours.get(key) ?? []
        hours.set(key, list)
        list.push({ at, mean: value, count: 12 })
      }
  return new Map(
    [...hours].flatMap(([key, list]): [string, Usual][] => {
      const metric = metrics.find((each) => key.startsWith(`${each}|`))!
      const usual = learnUsual(list, zone, { least: leastDistance(metric) })
      return usual ? [[key, usual]] : []
    }),
  )
}

/** @param until when the two weeks end; what was planted is so long before */
function alertsOf(plan: PlannedDevice, id: number, until: Millis): Raised[] {
  const start = until - weeksLong
  const device = new SimulatedDevice(plan, seed, until)
  const traits: DeviceTraits = {
    id,
    name: plan.name,
    clientId: clientCodes.indexOf(plan.client) + 1,
    siteId: 1,
    kind: plan.kind,
    osFamily: osFamilyOf(plan),
    osName: plan.os,
    roles: plan.roles,
    tags: [],
    addresses: [],
    facts: device.facts(start),
  }
  const roster = policy.roster(traits)
  const disks = new DiskDaysSoFar()
  for (let at = start - 21 * day; at < start; at += 30 * minute) disks.add(at, device.readings(at))
  let state: DeviceState = new Map()
  let heardAt = start
  let days = disks.before(start)
  let usual = usualOn(device, roster, Math.floor(start / day) * day)
  const raised: Raised[] = []
  const posts = new Map<string, PostAlerts>()
  for (let at = start; at <= until; at += interval) {
    if (at % day === 0) {
      days = disks.before(at)
      usual = usualOn(device, roster, at)
    }
    const isReport = device.reportsAt(at)
    const readings = isReport ? device.readings(at) : []
    if (isReport) disks.add(at, readings)
    const observed: Observed = {
      at,
      interval,
      heardAt: isReport ? at : heardAt,
      readings,
      facts: device.facts(at),
      events: isReport ? device.events(at - interval, at) : [],
      failed: [],
      clockOffset: (plan.story?.clock ?? 0) * 1000,
      zone,
      days,
      usual,
    }
    const found = isReport
      ? evaluate(state, roster, observed)
      : evaluate(state, roster, observed, interval, ({ kind }) => kind === 'silence')
    if (isReport) heardAt = at
    state = found.state
    if (found.broken.length) throw new Error(`${plan.name}: ${found.broken[0]!.watch}: ${found.broken[0]!.reason}`)
    for (const { watch, instance } of found.transitions) {
      const key = postKey(watch, instance)
      if (!posts.has(key)) posts.set(key, { alert: null, past: [] })
    }
    for (const [key, alerts] of posts) {
      const post = state.get(key)
      if (!follow(alerts, post, at)) continue
      const { watch, instance } = splitPostKey(key)
      const { kind } = roster.find((each) => each.key === watch)!
      raised.push({ at, watch, kind, instance, text: post!.evidence?.text ?? '' })
    }
  }
  return raised
}

interface Count {
  alerts: number
  /** Those that no trouble was planted for. */
  others: number
  devices: number
}
const none = (): Count => ({ alerts: 0, others: 0, devices: 0 })
const counts = { server: none(), workstation: none() }
/** The same of the demo's own devices alone. */
const dense = { server: none(), workstation: none() }
const missed: string[] = []
let expected = 0
for (const [i, plan] of estate.devices.entries()) {
  const raised = alertsOf(plan, i + 1, end)
  const wanted = troubles.filter(
    ({ of: what, is }) => plan.story?.[what] !== undefined && (!is || is(plan.story, plan)),
  )
  const isPlanted = ({ kind }: Raised) => wanted.some(({ kinds }) => kinds.includes(kind))
  for (const all of i < own ? [counts, dense] : [counts]) {
    const of = plan.kind === 'workstation' ? all.workstation : all.server
    of.alerts += raised.length
    of.others += raised.filter((one) => !isPlanted(one)).length
    of.devices++
  }
  const posts = groupsBy(raised, ({ watch, instance }) => postKey(watch, instance))
  say(`${plan.name.padEnd(16)} ${plan.kind.padEnd(12)} ${(raised.length / weeks).toFixed(1).padStart(5)} a week`)
  for (const list of posts.values())
    say(
      `${`${list.length} ×`.padStart(9)} ${list[0]!.watch}: ${list[0]!.text}${isPlanted(list[0]!) ? ' (planted)' : ''}`,
    )
  expected += wanted.length
  for (const { of: what, kinds } of wanted)
    if (!raised.some(({ kind }) => kinds.includes(kind))) missed.push(`${plan.name}: ${what}`)
}
function tell(name: string, { alerts, others, devices }: Count, most: number): void {
  const rate = (count: number) => count / devices / weeks
  say(
    `${judge(rate(alerts) < most)} ${name}: ${rate(alerts).toFixed(2)} alerts a device and week, less than ${most} wanted; without what was planted ${rate(others).toFixed(2)}`,
  )
}
say('')
tell(`${counts.server.devices} servers`, counts.server, 1)
tell(`${counts.workstation.devices} workstations`, counts.workstation, 0.2)
for (const [name, { alerts, devices }] of Object.entries(dense))
  say(
    `     of them the demo's own ${devices} ${name}s, a trouble on nearly each: ${(alerts / devices / weeks).toFixed(2)}`,
  )
say(
  `${judge(!missed.length)} ${expected - missed.length} of ${expected} planted troubles were found${missed.length ? `; not: ${missed.join(', ')}` : ''}`,
)

// What is unusual in the night may be ordinary an hour before work begins.
for (const [i, plan] of estate.devices.entries()) {
  const { loop } = plan.story ?? {}
  if (!loop) continue
  const hours = Array.from({ length: 24 }, (_, n) => end - n * hour)
  const missedAt = hours.filter((until) => !alertsOf(plan, i + 1, until).some(({ kind }) => kind === 'unusual-cpu'))
  const began = missedAt.map((until) => new Date(until - loop.from * minute).toISOString().slice(11, 16)).sort()
  say(
    `     a program in a loop on ${plan.name}, begun at each hour of a day: found at ${hours.length - began.length} of ${hours.length}${began.length ? `; not at ${began.join(', ')} UTC` : ''}`,
  )
}
