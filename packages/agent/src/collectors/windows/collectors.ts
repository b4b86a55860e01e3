import { statfs } from 'node:fs/promises'
import { cpus, freemem, totalmem, uptime } from 'node:os'
import { join } from 'node:path'
import { day, hour, matchesAny, type Disk, type Millis, type ProcessChoice, type Reading } from '#core'
import { steady } from '../../clock'
import type { CollectSettings } from '#contract/report'
import type { Collect } from '../collector'
import { countersCollector } from '../counters'
import { filesCollector } from '../files'
import { Keep } from '../keep'
import { chosenProcesses, Programs, programsOf } from '../processes/chosen'
import { Tops, type MachineLook, type SeenProcess } from '../processes/use'
import { Starts } from '../starts'
import { FirstSeen } from '../firstSeen'
import { parseUpdates, updatesScript, type FoundUpdates } from './updates'
import {
  channelsOf,
  eventsOf,
  gatewaysOf,
  fileTimeEpoch,
  processDetails,
  processesOf,
  inventoryScript,
  snapshotScript,
  recordsOf,
  servicesOf,
  drivesOf,
  runsOf,
  startsBetween,
  type Inventory,
  type Snapshot,
} from './snapshot'
import { told } from '../../powershell/powershell'
import { loadOf } from '../linkLoad'
import { protection } from './protection'
import { ownOfWindows } from './replication'
import { sessions } from './sessions'
import { drivesNamed, drivesUse, linksOf, temperaturesOf } from './hardware'

const nothing: Snapshot = {
  services: [],
  triggered: [],
  events: [],
  disks: [],
  adapters: [],
  routes: [],
  tcp: [],
  udp: [],
  paging: null,
  processes: [],
}
const noInventory: Inventory = { logs: [], packages: [], needs: [], drives: [], wear: [] }
const pageSize = 4096
const ordinary = ['System', 'Application']

/** One run of PowerShell for all collectors of a round: it costs more to start than what it does. */
class Readout {
  /** Logs of which nothing was read before this look: what they held is old. */
  firstRead: ReadonlySet<string> = new Set()
  #at: Millis = -Infinity
  #snapshot: Promise<Snapshot> = Promise.resolve(nothing)
  #longAt: Millis | null = null
  #inventory: Promise<Inventory> = Promise.resolve(noInventory)
  /** Number of the last record that was read of each log. */
  read: Record<string, number | null>

  constructor(
    private readonly wanted: () => readonly string[],
    place: unknown,
  ) {
    this.read = typeof place === 'object' && place !== null ? { ...(place as Record<string, number | null>) } : {}
  }

  inventory(): Promise<Inventory> {
    if (this.#longAt === null || steady() - this.#longAt >= hour) {
      this.#longAt = steady()
      this.#inventory = told<Inventory>(inventoryScript, noInventory, 120_000)
    }
    return this.#inventory
  }
  /** Which logs are read. */
  async logs(): Promise<string[]> {
    const { logs } = await this.inventory().catch(() => noInventory)
    return [...new Set([...ordinary, ...logs.filter((name) => matchesAny(this.wanted(), name))])]
  }
  at(now: Millis): Promise<Snapshot> {
    if (now === this.#at) return this.#snapshot
    this.#at = now
    this.#snapshot = (async () => {
      const before = this.read
      const snapshot = await told<Snapshot>(
        snapshotScript(Object.fromEntries((await this.logs()).map((log) => [log, before[log] ?? null]))),
        nothing,
      )
      this.read = recordsOf(snapshot, before)
      this.firstRead = new Set(Object.keys(this.read).filter((log) => (before[log] ?? null) === null))
      return snapshot
    })()
    return this.#snapshot
  }
}

/** Busy and all time of all processors together, in milliseconds. */
function times(): { busy: number; total: number } {
  const all = cpus().map((core) => core.times)
  const idle = all.reduce((sum, times) => sum + times.idle, 0)
  const total = all.reduce((sum, times) => sum + times.user + times.nice + times.sys + times.idle + times.irq, 0)
  return { busy: total - idle, total }
}

function performance(readout: Readout): Collect {
  let before: {
    at: Millis
    cpu: ReturnType<typeof times>
    paging: Snapshot['paging']
    diskUse: NonNullable<Snapshot['diskUse']>
  } | null = null
  return {
    name: 'performance',
    async collect(moment) {
      const cpu = times()
      // Without PowerShell the rest is still known.
      const snapshot = await readout.at(moment).catch(() => nothing)
      const { paging, diskUse = [] } = snapshot
      const now = steady()
      const readings: Reading[] = [
        ['memory.size', '', totalmem()],
        ['memory.available', '', freemem()],
        ['uptime', '', Math.floor(uptime())],
      ]
      if (before && now > before.at) {
        const seconds = (now - before.at) / 1000
        if (cpu.total > before.cpu.total)
          readings.push([
            'cpu.busy',
            '',
            Math.min(1, Math.max(0, (cpu.busy - before.cpu.busy) / (cpu.total - before.cpu.total))),
          ])
        const rate = (name: 'PagesInputPersec' | 'PagesOutputPersec') =>
          Math.max(0, ((paging![name] - before!.paging![name]) * pageSize) / seconds)
        if (paging && before.paging)
          readings.push(['paging.in', '', rate('PagesInputPersec')], ['paging.out', '', rate('PagesOutputPersec')])
      }
      readings.push(...drivesUse(before?.diskUse ?? [], diskUse))
      before = { at: now, cpu, paging, diskUse }
      const heat = temperaturesOf(snapshot)
      readings.push(...heat.readings)
      const blocks = drivesNamed(snapshot)
      return { readings, facts: blocks ? { blocks, sensors: heat.sensors } : {} }
    },
  }
}

function disks(readout: Readout): Collect {
  return {
    name: 'disks',
    async collect(now) {
      const known = (await readout.at(now).catch(() => nothing)).disks
      const letters = known.length
        ? known.filter((disk) => disk.DriveType === 2 || disk.DriveType === 3).map((disk) => disk.DeviceID)
        : ['C:']
      const readings: Reading[] = []
      const found: Disk[] = []
      for (const mount of letters) {
        const stat = await statfs(`${mount}\\`).catch(() => null)
        const size = stat ? stat.blocks * stat.bsize : 0
        if (!stat || size === 0) continue
        const disk = known.find((each) => each.DeviceID === mount)
        readings.push(['disk.size', mount, size], ['disk.free', mount, stat.bavail * stat.bsize])
        found.push({ mount, device: mount, fileSystem: disk?.FileSystem ?? '', removable: disk?.DriveType === 2, size })
      }
      return { readings, facts: { disks: found } }
    },
  }
}

function network(readout: Readout): Collect {
  let before: { at: Millis; adapters: Snapshot['adapters'] } | null = null
  return {
    name: 'network',
    async collect(moment) {
      const snapshot = await readout.at(moment)
      const { adapters, routes, speeds = [] } = snapshot
      const links = linksOf(snapshot)
      const now = steady()
      const readings: Reading[] = []
      for (const adapter of adapters) {
        readings.push([
          'net.errors',
          adapter.Name,
          adapter.ReceivedPacketErrors +
            adapter.ReceivedDiscardedPackets +
            adapter.OutboundPacketErrors +
            adapter.OutboundDiscardedPackets,
        ])
        const was = before?.adapters.find((each) => each.Name === adapter.Name)
        if (!was || now <= before!.at || adapter.ReceivedBytes < was.ReceivedBytes || adapter.SentBytes < was.SentBytes)
          continue
        const seconds = (now - before!.at) / 1000
        const received = (adapter.ReceivedBytes - was.ReceivedBytes) / seconds
        const sent = (adapter.SentBytes - was.SentBytes) / seconds
        readings.push(['net.received', adapter.Name, received], ['net.sent', adapter.Name, sent])
        const { speed } = links.find(({ name }) => name === adapter.Name) ?? {}
        const isHalf = speeds.some(({ Name, FullDuplex }) => Name === adapter.Name && FullDuplex === false)
        if (speed) readings.push(['net.load', adapter.Name, loadOf(received, sent, { speed, isHalf })])
      }
      before = { at: now, adapters }
      return { readings, facts: { gateways: gatewaysOf({ routes }), links } }
    },
  }
}

function services(readout: Readout): Collect {
  const starts = new Starts<string>(startsBetween)
  return {
    name: 'services',
    async collect(now) {
      const snapshot = await readout.at(now)
      const { needs } = await readout.inventory().catch(() => noInventory)
      return { facts: { services: servicesOf(snapshot, needs), starts: starts.next(runsOf(snapshot), steady()) } }
    },
  }
}

function updates(home: string | null): Collect {
  const seen = new FirstSeen(home === null ? null : join(home, 'updates-seen.json'))
  let latest: ReturnType<typeof parseUpdates> | null = null
  let lookedAt: Millis = 0
  return {
    name: 'updates',
    async collect(now) {
      if (!latest || steady() - lookedAt >= day) {
        const found = await told<FoundUpdates>(updatesScript, { updates: [], restart: false }, 600_000)
        latest = parseUpdates(found, seen, now)
        lookedAt = steady()
        seen.keep()
      }
      return { facts: latest }
    },
  }
}

/** Milliseconds as units of 100 ns, in which processes tell their times. */
const ticks = 10_000

/** @param wanted which processes to count */
function processes(readout: Readout, wanted: () => readonly ProcessChoice[]): Collect {
  const tops = new Tops()
  let before: MachineLook | null = null
  const programs = new Programs()
  return {
    name: 'processes',
    async collect(moment) {
      const snapshot = await readout.at(moment)
      const own = new Map(snapshot.processes.map((one) => [one.ProcessId, one.PrivatePageCount]))
      const { busy, total } = times()
      const now: MachineLook = {
        busy: busy * ticks,
        total: total * ticks,
        processes: new Map(processesOf(snapshot).map((one) => [one.pid, one])),
        memorySize: totalmem(),
        memoryLeft: freemem(),
      }
      const ownMemory = ({ pid }: SeenProcess) => own.get(pid) ?? 0
      const top = tops.next(() => now, ownMemory)
      const details = processDetails(snapshot)
      const readings = chosenProcesses(wanted(), [before, now], cpus().length, details, ownMemory)
      before = now
      const ageOf = ({ started }: SeenProcess) => (started ? Date.now() - (started / ticks - fileTimeEpoch) : null)
      return { ...top, readings, facts: programs.at(steady(), () => programsOf(now, details, ageOf)) }
    },
  }
}

/** The collectors for Windows: processors, memory and disks by Node itself, the rest by PowerShell. */
export function windowsCollectors(
  home: string | null,
  wanted: () => Pick<CollectSettings, 'logs' | 'keep' | 'processes' | 'files' | 'counters'>,
  place?: unknown,
): Collect[] {
  const readout = new Readout(() => wanted().logs, place)
  return [
    performance(readout),
    disks(readout),
    {
      name: 'drives',
      async collect() {
        return { facts: { drives: { drives: drivesOf(await readout.inventory()), arrays: [] } } }
      },
    },
    network(readout),
    processes(readout, () => wanted().processes ?? []),
    filesCollector(() => wanted().files ?? [], false),
    services(readout),
    updates(home),
    protection(),
    sessions(),
    countersCollector(() => wanted().counters ?? [], ownOfWindows()),
    {
      name: 'eventlog',
      async collect(now) {
        const keep = new Keep(wanted().keep ?? null)
        for (const event of eventsOf(await readout.at(now)))
          keep.add(readout.firstRead.has(event.channel) ? { ...event, old: true } : event)
        return {
          ...keep.take(),
          place: readout.read,
          facts: { logs: channelsOf((await readout.inventory()).logs, await readout.logs()) },
        }
      },
    },
    {
      name: 'software',
      async collect(now) {
        const { tcp, udp } = await readout.at(now)
        const { packages } = await readout.inventory()
        return {
          facts: {
            packages: packages.map((name) => name.slice(0, 200)).slice(0, 20_000),
            ports: [
              ...tcp.map((port) => ({ port, protocol: 'tcp' as const })),
              ...udp.map((port) => ({ port, protocol: 'udp' as const })),
            ]
              .sort((a, b) => a.port - b.port)
              .slice(0, 2000),
          },
        }
      },
    },
  ]
}
