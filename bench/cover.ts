import seedrandom from 'seedrandom'
import {
  coverOf,
  hour,
  matcher,
  reaches,
  subjects,
  type CoveredPost,
  type DeviceTraits,
  type MaintenanceWindow,
  type Target,
} from '#core'
import { nextOccurrences } from '#core/schedule'

/** Seconds of one core, each the best of three. */
export interface CoverFigures {
  devices: number
  posts: number
  windows: number
  /** Which windows reach which device, and which of them covers each post now. */
  all: number
  /** Every device tried against every target, and nothing else: what no way of doing it can be without. */
  bare: number
  /** The next five times of every window that repeats. */
  next: number
  covered: number
}

const clients = 40

function estate(count: number): DeviceTraits[] {
  return Array.from({ length: count }, (_, i) => ({
    id: i + 1,
    name: `tm-${i}`,
    clientId: (i % clients) + 1,
    siteId: (i % 200) + 1,
    kind: i % 4 ? 'server' : 'workstation',
    osFamily: i % 2 ? 'linux' : 'windows',
    osName: '',
    roles: [['web', 'database', 'file', 'print'][i % 4]!],
    tags: [],
    addresses: [],
    facts: {},
  }))
}

/** Every fourth repeats; its time of today is one of sixty days of them. */
function windows(count: number, now: number): MaintenanceWindow[] {
  const random = seedrandom('cover')
  const target = (i: number): Target => {
    const client = { on: 'client', clientId: (i % clients) + 1 } as const
    if (i % 5 === 0) return { on: 'site', siteId: (i % 200) + 1 }
    if (i % 5 === 1) return { on: 'all', of: [client, { on: 'role', role: 'web' }] }
    return i % 40 === 3 ? { on: 'kind', kind: 'server' } : client
  }
  return Array.from({ length: count }, (_, i) => ({
    id: i + 1,
    occurrence: i + 1,
    name: `w ${i}`,
    clientId: null,
    target: target(i),
    subject: i % 3 ? { of: 'all' } : { of: 'families', families: [subjects[i % subjects.length]!] },
    from: now - Math.floor(random() * 4 * hour),
    until: now + Math.floor((random() - 0.3) * 4 * hour),
    endedAt: null,
  }))
}

function best(work: () => unknown): number {
  return Math.min(
    ...[0, 1, 2].map(() => {
      const began = performance.now()
      work()
      return (performance.now() - began) / 1000
    }),
  )
}

const rules = [
  'FREQ=DAILY',
  'FREQ=WEEKLY;BYDAY=TU,TH',
  'FREQ=MONTHLY;BYDAY=2TU',
  'FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1',
]

/** @param perDevice posts of each device */
export function coverFigures(deviceCount: number, windowCount: number, perDevice = 12): CoverFigures {
  const now = Date.parse('2027-03-27T22:00:00Z')
  const devices = estate(deviceCount)
  const list = windows(windowCount, now)
  const posts = (device: DeviceTraits): CoveredPost[] =>
    Array.from({ length: perDevice }, (_, i) => ({
      device,
      watch: `watch.${i}`,
      instance: '',
      family: subjects[i % subjects.length]!,
    }))
  const all = devices.map((device) => posts(device))
  let covered = 0
  const targets = list.map(({ target }) => matcher(target))
  const repeating = Array.from({ length: windowCount / 4 }, (_, i) => ({
    starts: '2026-01-05T02:30:00',
    zone: ['Europe/Berlin', 'America/New_York', 'Australia/Lord_Howe'][i % 3]!,
    rule: rules[i % rules.length]!,
    more: [],
    except: [],
    length: 2 * hour,
    changed: [],
  }))
  return {
    devices: deviceCount,
    posts: deviceCount * perDevice,
    windows: windowCount,
    bare: best(() => devices.filter((device) => targets.some((match) => match(device) && device.id < 0))),
    all: best(() => {
      covered = 0
      devices.forEach((device, i) => {
        const reaching = list.filter((window) => reaches(window, device))
        for (const post of all[i]!) if (coverOf(reaching, post, now)) covered++
      })
    }),
    next: best(() => repeating.map((schedule) => nextOccurrences(schedule, now, 5))),
    covered,
  }
}
