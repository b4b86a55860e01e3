import seedrandom from 'seedrandom'
import {
  compilePolicy,
  matcher,
  rosterChanges,
  watchKinds,
  type Assignment,
  type CompiledPolicy,
  type DeviceTraits,
  type Exception,
  type Policy,
  type Target,
  type Template,
  type Values,
} from '#core'

export interface Spread {
  median: number
  worst: number
}

/** Seconds of one core, each the best of three: what disturbs a measurement only makes it longer. */
export interface RosterFigures {
  devices: number
  watches: number
  /** How many of the devices have a roster that no other has. */
  distinct: number
  /** All rosters, the policy made ready included. */
  all: number
  /** Every device tried against every target, and nothing else: what no way of doing it can be without. */
  bare: number
  /**
   * A single device of a policy that has seen none before, and of one that has seen the others: the median of 300, and
   * the slowest but three.
   */
  first: Spread
  next: Spread
  /** A template for every server edited: which devices, which watches. */
  wide: number
  /** The same for a template of one role. */
  narrow: number
}

const clients = 40
const sites = 5
const kinds = [...watchKinds.keys()]
const roles = [
  'web',
  'database',
  'directory',
  'print',
  'file',
  'mail',
  'backup',
  'virtualisation',
  'terminal',
  'till',
  'imaging',
  'tickets',
  'build',
  'voice',
  'proxy',
  'dns',
]

function estate(count: number): DeviceTraits[] {
  const random = seedrandom('rosters')
  const pick = <T>(list: readonly T[]) => list[Math.floor(random() * list.length)]!
  return Array.from({ length: count }, (_, i) => {
    const client = i % clients
    const site = client * sites + Math.floor(random() * sites)
    return {
      id: i + 1,
      name: `${pick(['tm', 'bb', 'sv', 'qp'])}-${pick(roles)}-${i}`,
      clientId: client + 1,
      siteId: site + 1,
      kind: pick(['server', 'server', 'server', 'workstation'] as const),
      osFamily: pick(['linux', 'windows'] as const),
      osName: pick(['Debian GNU/Linux 12', 'Windows Server 2022']),
      roles: [...new Set([pick(roles), pick(roles)])].slice(0, random() < 0.3 ? 2 : 1),
      tags: random() < 0.1 ? [pick(['lab', 'old', 'shop'])] : [],
      addresses: [`10.${client}.${site % 250}.${i % 250}`],
      facts: {},
    }
  })
}

/**
 * 40 templates of 10 watches, 60 assignments of every sort, and an exception for every thirtieth device and for some
 * clients.
 */
function policyFor(devices: readonly DeviceTraits[]): Policy {
  const random = seedrandom('policy')
  const pick = <T>(list: readonly T[]) => list[Math.floor(random() * list.length)]!
  const templates: Template[] = Array.from({ length: 40 }, (_, t) => ({
    id: t + 1,
    name: `Template ${t + 1}`,
    description: '',
    revision: 1,
    includes: [],
    // A third of the keys are shared between templates, so that there is something to merge.
    watches: Array.from({ length: 10 }, (_, w) => {
      const kind = kinds[(t + w) % kinds.length]!
      const values: Values = Object.fromEntries(
        watchKinds
          .get(kind)!
          .parameters.filter(() => random() < 0.5)
          .map((parameter) => [parameter.name, parameter.default]),
      )
      return {
        key: w < 3 ? `shared.${kind}.${w}` : `t${t}.${w}`,
        kind,
        name: `Watch ${w}`,
        why: '',
        osFamilies: w === 9 ? ['windows' as const] : [],
        values,
      }
    }),
  }))
  const sorts: ((n: number) => Target)[] = [
    () => ({ on: 'kind', kind: 'server' }),
    (n) => ({ on: 'role', role: roles[n % roles.length]! }),
    (n) => ({ on: 'role', role: roles[(n * 7) % roles.length]! }),
    (n) => ({ on: 'client', clientId: (n % clients) + 1 }),
    (n) => ({ on: 'site', siteId: ((n * 11) % (clients * sites)) + 1 }),
    () => ({ on: 'tag', tag: pick(['lab', 'old', 'shop']) }),
    (n) => ({
      on: 'all',
      of: [
        { on: 'role', role: roles[n % roles.length]! },
        { on: 'os', osFamily: 'linux' },
        { on: 'except', of: [{ on: 'tag', tag: 'lab' }] },
      ],
    }),
    (n) => ({
      on: 'any',
      of: [
        { on: 'name', pattern: `${pick(['tm', 'bb'])}-${roles[n % roles.length]!}-*` },
        { on: 'network', network: `10.${n % clients}.0.0/16` },
      ],
    }),
  ]
  const assignments: Assignment[] = Array.from({ length: 60 }, (_, n) => {
    const templateId = n === 0 ? 1 : (n % 40) + 1
    const target: Target =
      n === 0 ? { on: 'kind', kind: 'server' } : n === 1 ? { on: 'role', role: 'web' } : sorts[n % sorts.length]!(n)
    return {
      id: n + 1,
      templateId,
      target,
      rank: 100,
      values: {},
      dormant: n % 20 === 19,
      reason: '',
      reviewAt: null,
      revision: 1,
      createdAt: n,
    }
  })
  const exception = (id: number, target: Target): Exception => ({
    id,
    target,
    watch: pick(templates[0]!.watches).key,
    values: { hold: 60_000 },
    leftOut: false,
    reason: 'so',
    ownerId: null,
    reviewAt: null,
    revision: 1,
    createdAt: id,
  })
  const exceptions = [
    ...devices
      .filter((_, i) => i % 30 === 0)
      .map((device, i) => exception(1000 + i, { on: 'devices', deviceIds: [device.id] })),
    ...[1, 2, 3].map((clientId) => exception(clientId, { on: 'client', clientId })),
  ]
  return { templates, assignments, exceptions }
}

function seconds(work: () => void): number {
  return Math.min(
    ...[1, 2, 3].map(() => {
      const began = process.hrtime.bigint()
      work()
      return Number(process.hrtime.bigint() - began) / 1e9
    }),
  )
}

function edited(policy: Policy, templateId: number): Policy {
  return {
    ...policy,
    templates: policy.templates.map((template) =>
      template.id === templateId
        ? {
            ...template,
            revision: 2,
            watches: template.watches.map((watch) => ({
              ...watch,
              values: { ...watch.values, every: 300_000, hours: 'Mon–Fri 08:00–20:00' },
            })),
          }
        : template,
    ),
  }
}

export function rosterFigures(count: number): RosterFigures {
  const devices = estate(count)
  const policy = policyFor(devices)
  const all = seconds(() => {
    const compiled = compilePolicy(policy)
    for (const device of devices) compiled.roster(device)
  })
  const bare = seconds(() => {
    let matches = 0
    const tests = policy.assignments.map((assignment) => matcher(assignment.target))
    for (const device of devices) for (const test of tests) if (test(device)) matches++
    if (matches === 0) throw new Error('nothing matches')
  })
  const compiled = compilePolicy(policy)
  const rosters = devices.map((device) => compiled.roster(device))
  const users = new Map<unknown, number>()
  for (const roster of rosters) users.set(roster, (users.get(roster) ?? 0) + 1)
  // What runs once in a hundred is the machine's.
  const each = (ready: () => CompiledPolicy): Spread => {
    const taken = devices
      .slice(0, 300)
      .map((device) => {
        const of = ready()
        const began = process.hrtime.bigint()
        of.roster(device)
        return Number(process.hrtime.bigint() - began) / 1e9
      })
      .sort((a, b) => a - b)
    return { median: taken[150]!, worst: taken[296]! }
  }
  const first = each(() => compilePolicy(policy))
  const seen = compilePolicy(policy)
  for (const device of devices.slice(300)) seen.roster(device)
  const next = each(() => seen)
  const impact = (templateId: number) =>
    seconds(() => {
      if (rosterChanges(devices, compiled, edited(policy, templateId)).length === 0) throw new Error('nothing changes')
    })
  return {
    devices: count,
    watches: rosters.reduce((sum, roster) => sum + roster.length, 0) / count,
    distinct: [...users.values()].filter((n) => n === 1).length,
    all,
    bare,
    first,
    next,
    wide: impact(1),
    narrow: impact(2),
  }
}
