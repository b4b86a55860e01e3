import murmurhash from 'murmurhash'
import type { CollectSettings } from '#contract/report'
import {
  day,
  hour,
  isBusyMoment,
  localTime,
  matchesAny,
  minute,
  processLimits,
  startsTold,
  topProcesses,
  type Facts,
  type LogEvent,
  type Millis,
  type ProcessUse,
  type Reading,
  type Service,
  type ServiceStarts,
  type TopProcesses,
} from '#core'
import { logsOf, osFamilyOf, servicesOf, type PlannedDevice, type Story } from '../estate'
import { countersSeen } from './counters'
import { drivesOf } from './drives'
import { protectionOf } from './protection'
import { sessionReadings, sessionsOf } from './sessions'
import { fileReadings, filesTold } from './files'
import { lookReadings } from './looks'
import { hardwareFacts, hardwareReadings } from './hardware'
import { ordinaryEntry } from './ordinaryLog'
import { processReadings, programsOf } from './programs'
import { updatesOf } from './updates'

/** What somebody made happen on a device through the panel. */
export interface Meddling {
  stopped: string[]
  filled: string[]
  events: LogEvent[]
  unplugged: boolean
  /** A program of it runs in a loop. */
  loops: boolean
}

/** So much of its past a device tells by itself: as far back as reports are taken. */
export const historyHours = 13 * 24 - 2

const gigabyte = 1e9
const { restEvery } = processLimits

/**
 * A number from 0 to below 1 that depends only on its arguments. Asked for some times a reading, it comes from a hash,
 * which takes a hundredth of what it takes to seed a generator.
 */
function noise(seed: string, what: string, step: number): number {
  return murmurhash.v3(`${seed}/${what}/${step}`) / 2 ** 32
}

/** Noise that moves gently: between the values of two neighbouring steps. */
function drift(seed: string, what: string, at: Millis, step: Millis): number {
  const whole = Math.floor(at / step)
  const part = at / step - whole
  return noise(seed, what, whole) * (1 - part) + noise(seed, what, whole + 1) * part
}

/**
 * How busy people are at a time: working days, with a hump before and after noon. UTC is near enough for a stand-in.
 */
function working(at: Millis): number {
  const date = new Date(at)
  const weekend = date.getUTCDay() % 6 === 0
  const time = date.getUTCHours() + date.getUTCMinutes() / 60
  const hump = Math.exp(-((time - 10.5) ** 2) / 6) + 0.8 * Math.exp(-((time - 15) ** 2) / 7)
  return hump * (weekend ? 0.15 : 1)
}

/** Where in its weekly job a device is: whether it runs, and whether it begins or ends with this minute. */
function weeklyOf(weekly: Story['weekly'], at: Millis): { runs: boolean; begins: boolean; ends: boolean } {
  const runsAt = (time: Millis) => {
    if (!weekly) return false
    const { day: weekday, minutes } = localTime(time, weekly.zone)
    return weekday === weekly.weekday && minutes >= weekly.from * 60 && minutes < weekly.until * 60
  }
  const [before, now] = [runsAt(at - minute), runsAt(at)]
  return { runs: now, begins: now && !before, ends: before && !now }
}

/** A device that behaves the same at the same time for the same seed, apart from what somebody does to it. */
export class SimulatedDevice {
  /** What the server wants collected beyond the ordinary. */
  collect: CollectSettings = { logs: [], collectors: [] }
  /** Of its agent. */
  version: string
  /** Until when a new program that does not work keeps it from reporting. */
  stuckUntil: Millis = 0
  readonly meddling: Meddling = { stopped: [], filled: [], events: [], unplugged: false, loops: false }

  constructor(
    readonly plan: PlannedDevice,
    private readonly seed: string,
    readonly end: Millis,
  ) {
    this.version = noise(seed, `${plan.name}version`, 0) < 0.75 ? '0.1.0' : '0.2.0'
    if (plan.story?.silentFor) this.meddling.unplugged = true
  }

  #minutesBefore(at: Millis): number {
    return (this.end - at) / minute
  }

  /** Whether it reports at that time. */
  reportsAt(at: Millis): boolean {
    if (at <= this.end) return !(this.plan.story?.silentFor && this.#minutesBefore(at) < this.plan.story.silentFor)
    return !this.meddling.unplugged && at >= this.stuckUntil
  }

  /** Servers are started anew every few weeks, workstations every few days. */
  startedAt(at: Millis): Millis {
    const { name, kind } = this.plan
    const every =
      (kind === 'workstation' ? 1 + 6 * noise(this.seed, `${name}up`, 0) : 14 + 40 * noise(this.seed, `${name}up`, 0)) *
      day
    return at - (at % every)
  }

  #used(mount: string, at: Millis): number {
    if (this.meddling.filled.includes(mount)) return 0.985
    const [size, used] = this.plan.disks[mount]!
    const fills = this.plan.story?.fills
    if (fills?.mount === mount) {
      const done = 1 - Math.max(0, Math.min(1, this.#minutesBefore(at) / fills.overMinutes))
      // From day to day as people work, within a day without a stop.
      const uneven = fills.overMinutes > 7 * 1440 ? 0.012 * drift(this.seed, `${this.plan.name}${mount}`, at, day) : 0
      return fills.from + (fills.to - fills.from) * done + uneven
    }
    return (
      used +
      0.004 * drift(this.seed, `${this.plan.name}${mount}`, at, 3 * hour) +
      Math.min(0.002, 1 / size) * ((at % day) / day)
    )
  }

  #counters(at: Millis, load: number) {
    return countersSeen(this.plan, this.collect.counters ?? [], {
      load,
      wave: (what) => drift(this.seed, `${this.plan.name}${what}`, at, 4 * minute),
      isDown: (service) => this.#isDown(service, at),
    })
  }

  readings(at: Millis): Reading[] {
    const { name, cores, story } = this.plan
    const before = this.#minutesBefore(at)
    const isBusy = story?.busy && before < story.busy.from && before > story.busy.to
    const loops = this.meddling.loops || (story?.loop && before < story.loop.from && before > story.loop.to)
    const hard = isBusy ? 0.9 : weeklyOf(story?.weekly, at).runs ? 0.76 : 0
    const changed = story?.changed && before < story.changed.minutesAgo ? story.changed : null
    const load = Math.min(
      1,
      0.03 +
        0.32 * working(at) * (0.6 + 0.8 * drift(this.seed, `${name}cpu`, at, 20 * minute)) +
        0.09 * drift(this.seed, `${name}quick`, at, 2 * minute) +
        (loops ? 0.42 : 0) +
        hard,
    )
    const memory = this.plan.memory * 1.073741824 * gigabyte
    const free =
      0.55 - 0.22 * working(at) - 0.1 * drift(this.seed, `${name}memory`, at, 2 * hour) - (changed?.memory ?? 0)
    const traffic =
      (2e5 + 6e6 * working(at) * drift(this.seed, `${name}net`, at, 10 * minute)) * (changed?.traffic ?? 1)
    const out: Reading[] = [
      ['cpu.busy', '', round(load, 4)],
      ['memory.size', '', Math.round(memory)],
      ['memory.available', '', Math.round(memory * free)],
      ['paging.in', '', 0],
      ['paging.out', '', hard ? Math.round(2e5 * noise(this.seed, `${name}page`, at)) : 0],
      ['load.5', '', round((load * (0.8 + 0.4 * drift(this.seed, `${name}load`, at, 5 * minute)) * cores) / cores, 3)],
      ['net.received', 'eth0', Math.round(traffic)],
      ['net.sent', 'eth0', Math.round(traffic * 0.4)],
      ['net.errors', 'eth0', Math.floor((at - this.startedAt(at)) / (5 * hour))],
      ['uptime', '', Math.round((at - this.end) / 1000 + 40 * 86_400)],
    ]
    out.push(
      ...hardwareReadings(this.plan, {
        load,
        hard,
        traffic,
        wave: (what) => drift(this.seed, `${name}${what}`, at, 4 * minute),
      }),
    )
    for (const [mount, [size]] of Object.entries(this.plan.disks))
      out.push(
        ['disk.size', mount, size * gigabyte],
        ['disk.free', mount, Math.round(size * gigabyte * (1 - this.#used(mount, at)))],
        ...(osFamilyOf(this.plan) === 'linux'
          ? [['disk.inodes.free', mount, round(1 - this.#used(mount, at) / 5, 3)] satisfies Reading]
          : []),
      )
    out.push(...sessionReadings(sessionsOf(this.plan, this.startedAt(at), this.end)))
    out.push(...fileReadings(this.collect.files ?? [], at))
    out.push(...this.#counters(at, load).readings)
    out.push(...lookReadings(this.collect.probes ?? [], at, this.end))
    out.push(...processReadings(this.plan, this.collect.processes ?? [], load, (service) => this.#isDown(service, at)))
    if (
      this.collect.collectors.some((collector) => collector.name === 'certificates') &&
      this.plan.services.includes('nginx')
    )
      out.push([
        'certificate.left',
        '443',
        Math.round((this.end + (12 + 60 * noise(this.seed, `${name}certificate`, 0)) * day - at) / 1000),
      ])
    return out
  }

  /** What uses it most, where that is a moment worth telling: its weekly job, else its services, by their size. */
  top(at: Millis): TopProcesses | null {
    const { name, kind, memory, services, story } = this.plan
    const reading = new Map(this.readings(at).map(([metric, , value]) => [metric, value]))
    const busy = reading.get('cpu.busy')!
    const size = reading.get('memory.size')!
    const isRest = Math.floor(at / restEvery) !== Math.floor((at - minute) / restEvery)
    if (!isBusyMoment(busy, reading.get('memory.available')! / size) && !isRest) return null
    const job = weeklyOf(story?.weekly, at).runs ? story!.weekly!.job : null
    const isLinux = osFamilyOf(this.plan) === 'linux'
    const program = (service: string) => (isLinux ? service.replace(/ql$/, '') : `${service}.exe`)
    const own = kind === 'workstation' ? ['browser', 'office', 'mail'] : services
    const uses = own.map((service, i): ProcessUse => {
      const part = (0.5 + noise(this.seed, `${name}${service}part`, 0) / 2) / 2 ** i
      return {
        name: program(service),
        cpu: (job ? busy - 0.7 : busy) * part,
        memory: Math.round(memory * gigabyte * 0.4 * part),
        count: 1 + Math.floor(6 * part),
      }
    })
    if (job) uses.push({ name: program(job), cpu: 0.7, memory: Math.round(size * 0.08), count: 1 })
    if (uses[0] && story?.changed && this.#minutesBefore(at) < story.changed.minutesAgo)
      uses[0].memory += Math.round(size * story.changed.memory)
    return { took: round(3 + 4 * noise(this.seed, `${name}took`, at), 1), processes: topProcesses(uses, size) }
  }

  #isDown(service: string, at: Millis): boolean {
    if (this.meddling.stopped.includes(service)) return true
    const before = this.#minutesBefore(at)
    const { down, flaps } = this.plan.story ?? {}
    if (
      down?.some(
        (installed) =>
          installed.service === service &&
          before <= installed.from &&
          before > installed.to - (installed.to === 0 ? Infinity : 0) &&
          !this.#started.has(service),
      )
    )
      return true
    return flaps?.service === service && before > 0 && before % flaps.everyMinutes < flaps.forMinutes
  }

  /** Started by hand after the story had stopped them. */
  readonly #started = new Set<string>()
  stop(service: string): void {
    this.#started.delete(service)
    this.#turned.set(service, Date.now())
    if (!this.meddling.stopped.includes(service)) this.meddling.stopped.push(service)
  }
  start(service: string): void {
    this.#started.add(service)
    this.#turned.set(service, Date.now())
    this.meddling.stopped = this.meddling.stopped.filter((stopped) => stopped !== service)
  }

  services(at: Millis): Service[] {
    return servicesOf(this.plan).map((service) => {
      const since = this.#changedAt(service.name, at)
      if (this.#isDown(service.name, at)) return { ...service, state: 'stopped', since }
      return service.state === 'running' ? { ...service, since } : service
    })
  }

  /** Starts of a service that ends and is started again every few minutes, of the last hour. */
  #starts(at: Millis): ServiceStarts[] {
    const { loops } = this.plan.story ?? {}
    if (!loops) return []
    const every = loops.everyMinutes * minute
    const first = Math.max(this.end - loops.from * minute, at - startsTold)
    const looks: ServiceStarts['looks'] = []
    for (let time = Math.ceil(first / every) * every; time <= at; time += every) looks.push({ at: time, count: 1 })
    return looks.length > 1 ? [{ service: loops.service, looks }] : []
  }

  /** When somebody started or stopped them by the panel or an agent. */
  readonly #turned = new Map<string, Millis>()

  /** Since when a service is as it is, by its story and by what somebody did. */
  #changedAt(service: string, at: Millis): Millis {
    const turned = this.#turned.get(service)
    if (turned !== undefined) return turned
    const { down = [], flaps, loops } = this.plan.story ?? {}
    const before = this.#minutesBefore(at)
    const ago = (minutes: number) => this.end - minutes * minute
    const times = down.flatMap(({ service: name, from, to }) => (name === service ? (to ? [from, to] : [from]) : []))
    if (flaps?.service === service && before > 0) {
      const round = Math.floor(before / flaps.everyMinutes) * flaps.everyMinutes
      times.push(round + flaps.everyMinutes - 1, round + flaps.forMinutes - 1)
    }
    if (loops?.service === service && before < loops.from)
      times.push(Math.ceil(before / loops.everyMinutes) * loops.everyMinutes)
    const past = times.filter((minutes) => minutes >= before)
    return Math.round(past.length ? ago(Math.min(...past)) : this.startedAt(at))
  }

  /** What waits to be installed on it. */
  updates(at: Millis): Required<Pick<Facts, 'updates' | 'waiting'>> {
    return updatesOf(this.plan, at, this.end, (name) => noise(this.seed, `${this.plan.name}${name}`, 0))
  }

  facts(at: Millis): Facts {
    const osFamily = osFamilyOf(this.plan)
    const { network } = this.plan
    return {
      system: {
        osFamily,
        osName: this.plan.os,
        hostName: this.plan.name,
        cores: this.plan.cores,
        agentVersion: this.version,
        serviceManager: osFamily === 'linux' ? 'systemd' : 'windows',
        startsAtBoot: true,
        optional: this.collect.collectors.map((collector) => collector.name),
        updatable: osFamily === 'linux',
        remediates: true,
        ...(network ? { addresses: [network.address] } : {}),
      },
      ...(network ? { gateways: [network.gateway] } : {}),
      disks: Object.entries(this.plan.disks).map(([mount, [size]]) => ({
        mount,
        device: osFamily === 'linux' ? `/dev/${mount.replaceAll('/', '') || 'root'}` : mount,
        fileSystem: osFamily === 'linux' ? 'ext4' : 'NTFS',
        removable: false,
        size: size * gigabyte,
        // As mkfs.ext4(8) makes them where nothing else is said: one in 16 KiB.
        ...(osFamily === 'linux' ? { inodes: Math.round((size * gigabyte) / 16_384) } : {}),
      })),
      ...hardwareFacts(this.plan),
      programs: programsOf(this.plan),
      ...(this.collect.files?.length ? { files: filesTold(this.collect.files) } : {}),
      counters: this.#counters(at, 0.3).told,
      drives: drivesOf(this.plan, (name) => noise(this.seed, `${this.plan.name}${name}`, 0)),
      protection: protectionOf(this.plan, at, this.end),
      sessions: sessionsOf(this.plan, this.startedAt(at), this.end),
      services: this.services(at),
      starts: this.#starts(at),
      ...this.updates(at),
      logs: logsOf(this.plan).map((log) => ({
        name: log.name,
        collected: log.ordinary || matchesAny(this.collect.logs, log.name),
      })),
    }
  }

  /** Log entries written after `from`, up to `at`. */
  events(from: Millis, at: Millis): LogEvent[] {
    const found = this.meddling.events.filter((event) => event.at > from && event.at <= at)
    this.meddling.events = this.meddling.events.filter((event) => event.at > at)
    const linux = osFamilyOf(this.plan) === 'linux'
    const { story, name } = this.plan
    const channel = linux ? 'syslog' : 'System'
    const ordinary = servicesOf(this.plan)
    for (let step = Math.floor(from / minute) + 1; step * minute <= at; step++) {
      const time = step * minute
      const before = this.#minutesBefore(time)
      if (noise(this.seed, `${name}log`, step) < 0.02 + 0.08 * working(time))
        found.push(ordinaryEntry(linux ? 'linux' : 'windows', noise(this.seed, `${name}says`, step), ordinary, time))
      if (noise(this.seed, `${name}warn`, step) < 0.003)
        found.push({
          at: time,
          channel,
          source: linux ? 'chronyd' : 'W32Time',
          id: linux ? null : 36,
          level: 'warning',
          text: 'The time source did not answer.',
        })
      const job = weeklyOf(story?.weekly, time)
      if (job.begins || job.ends)
        found.push({
          at: time,
          channel,
          source: story!.weekly!.job,
          id: null,
          level: 'informational',
          text: job.begins ? 'weekly run began' : 'weekly run ended, all shelves counted',
        })
      if (story?.changed && before <= story.changed.minutesAgo && before > story.changed.minutesAgo - 1)
        found.push({ at: time, channel, source: 'deploy', id: null, level: 'notice', text: story.changed.text })
      if (story?.backup && before >= story.backup.lastMinutesAgo && (before - story.backup.lastMinutesAgo) % 1440 < 1)
        found.push({
          at: time,
          channel,
          source: 'nightly-backup',
          id: null,
          level: 'informational',
          text: 'nightly run completed, 1 284 files, 0 errors',
        })
      if (story?.errors && before > story.errors.minutesAgo - story.errors.times && before <= story.errors.minutesAgo)
        found.push({
          at: time,
          channel,
          source: story.errors.source,
          id: story.errors.id,
          level: 'error',
          text: story.errors.text,
        })
    }
    for (const log of logsOf(this.plan))
      if (!log.ordinary && matchesAny(this.collect.logs, log.name))
        for (let step = Math.floor(from / minute) + 1; step * minute <= at; step++)
          if (noise(this.seed, `${name}${log.name}`, step) < 0.05)
            found.push({
              at: step * minute,
              channel: log.name,
              source: log.name.split('/')[0]!,
              id: null,
              level: 'error',
              text: 'A client closed the connection before the answer was complete.',
            })
    return found
  }
}

function round(value: number, digits: number): number {
  return Number(value.toFixed(digits))
}
