import type { CountersTold } from '../counter'
import type { FileTold } from '../files'
import type { RunningProgram } from '../processes'
import type { Bytes, Millis, Ratio } from '../units'

/** How a service is meant to start. `on-demand` covers starts by socket, timer, trigger or another service. */
export const serviceStarts = ['automatic', 'late', 'on-demand', 'manual', 'disabled'] as const
export type ServiceStart = (typeof serviceStarts)[number]
/**
 * `finished`: a job that ran once, ended well and is not expected to stay. `skipped`: its own condition said that it is
 * not needed here.
 */
export const serviceStates = ['running', 'stopped', 'failed', 'finished', 'starting', 'skipped'] as const
export type ServiceState = (typeof serviceStates)[number]

export interface Service {
  name: string
  title: string
  start: ServiceStart
  state: ServiceState
  /** Under which account it runs. Older agents do not tell. */
  account?: string
  /** Since when it is as it is. Not told of jobs, which come and go many times a day. */
  since?: Millis
  /** Other services that stop with it, or cannot start without it. */
  neededBy?: string[]
  /** What starts it on demand, and has failed itself: a socket, a timer, a path. */
  brokenTrigger?: string
}

/** So far back starts of services are told. */
export const startsTold: Millis = 3_600_000
/**
 * A service that was started more than once in the last hour: at which looks it had been started since the look before,
 * the older first, and how often. It may run whenever one looks.
 */
export interface ServiceStarts {
  service: string
  looks: { at: Millis; count: number }[]
}

/**
 * Why nothing can be written to a disk: `meant`, its own settings say so; `changed`, it was mounted so in spite of
 * them; `fault`, the system has taken the right away, as it does after an error.
 */
export const readOnlyReasons = ['meant', 'changed', 'fault'] as const
export type ReadOnlyReason = (typeof readOnlyReasons)[number]

/** `trouble`: it is there, and its agent cannot look into it. */
export interface Disk {
  mount: string
  device: string
  fileSystem: string
  removable: boolean
  /** All of it; readings of its size leave out what is reserved for the system. */
  size: Bytes
  trouble?: string
  /** Another machine shares it. */
  remote?: true
  readOnly?: ReadOnlyReason
  /** How many files it can hold; where its file system has a fixed number. */
  inodes?: number
}

/** What a drive says of itself. What it does not tell is absent, and that is not well. */
export interface Drive {
  /** As the system calls it: `sda`, `nvme0`, `PhysicalDrive0`. */
  name: string
  model: string
  serial?: string
  media: DriveMedia
  /** Its own verdict; null: it gives none. */
  passed: boolean | null
  /** Sectors that were replaced, that wait for it, and that could not be read. */
  reallocated?: number
  pending?: number
  uncorrectable?: number
  /** The share of what it was made to endure that is used up; above 1 it goes on beyond it. */
  worn?: Ratio
  /** Spare blocks that are left, and the share below which its maker gives it up. */
  spare?: Ratio
  spareLeast?: Ratio
  /** Its maker’s warnings that are on. */
  warnings?: DriveWarning[]
  /** It could not be asked. */
  trouble?: string
}
export const driveMedia = ['hdd', 'ssd', 'unknown'] as const
export type DriveMedia = (typeof driveMedia)[number]
/** The bits of Critical Warning: NVM Express Base Specification 2.0, figure 207. */
export const driveWarnings = [
  'spare',
  'temperature',
  'reliability',
  'read-only',
  'backup',
  'persistent-memory',
] as const
export type DriveWarning = (typeof driveWarnings)[number]

/** Several drives as one: a RAID of the kernel, or a pool. */
export interface DriveArray {
  name: string
  /** As the system calls it: `raid1`, `zpool`. */
  level: string
  state: ArrayState
  /** So many drives it should have, and has not. */
  members: number
  missing: number
  /** How far it is with putting itself right. */
  progress?: Ratio
  trouble?: string
}
/** `degraded`: it works, and another loss may end it; `rebuilding`: the same, and it is at work on it. */
export const arrayStates = ['well', 'checking', 'degraded', 'rebuilding', 'failed', 'unknown'] as const
export type ArrayState = (typeof arrayStates)[number]

export interface DriveHealth {
  drives: Drive[]
  arrays: DriveArray[]
}

export interface Updates {
  security: number
  other: number
  /** Packages that nothing needs any more. */
  leftover: number
  /** When the longest waiting one was first seen; null where none waits. */
  oldestSecurityAt: Millis | null
  oldestOtherAt: Millis | null
  /** Updates of both kinds that stay behind when all others are installed; they do not count above. */
  held?: number
  heldSecurity?: number
  oldestHeldAt?: Millis | null
  oldestLeftoverAt?: Millis | null
  restartPending: boolean
  /** When that was first seen. */
  restartSince?: Millis | null
  /** Programs that go on with files that were replaced since they started; absent: nobody could look. */
  outdated?: OutdatedProgram[]
  checkedAt: Millis
  /** When the lists of packages that this was worked out from were fetched; null: never. Older agents do not tell. */
  listsAt?: Millis | null
  /** That fetching them fails; null: the last time it went well; absent: nobody knows. */
  refresh?: RefreshFailure | null
  /** When an update was last installed; null: not known. */
  installedAt?: Millis | null
  /** Names, security updates first, at most 200. */
  names: string[]
}

export interface RefreshFailure {
  since: Millis
  /** As the package manager says it. */
  reason: string
}

export interface OutdatedProgram {
  /** Of the service, or of the program where no service runs it. */
  name: string
  service: boolean
  /** Some of the files. */
  files: string[]
  /** When it was first seen. */
  since: Millis
}

/** How its maker rates what an update mends. */
export const updateRatings = ['critical', 'important', 'moderate', 'low'] as const
export type UpdateRating = (typeof updateRatings)[number]
/** `asked`: somebody has put it on hold; `kept`: it cannot be installed as things are. */
export const heldReasons = ['asked', 'kept'] as const
export type HeldReason = (typeof heldReasons)[number]

/** An update that waits to be installed. */
export interface WaitingUpdate {
  /** Of the package, or the title of an update that is none. */
  name: string
  /** The version that is there, and the one that would come. */
  from?: string
  to?: string
  /** Where it would come from. */
  origin?: string
  security: boolean
  rating?: UpdateRating
  held?: HeldReason
  /** When it was first seen on the device. */
  since: Millis
}

export interface System {
  osFamily: OsFamily
  osName: string
  hostName: string
  cores: number
  agentVersion: string
  serviceManager: string | null
  /** Whether the agent comes back by itself after a restart of the machine. Older agents do not tell. */
  startsAtBoot?: boolean
  /** Whether it carries out the server's signed tasks. */
  takesTasks?: boolean
  /** Whether it starts and stops services when it is asked to. Older agents do not. */
  remediates?: boolean
  /** Optional collectors that it has. Older agents do not tell. */
  optional?: string[]
  /** Whether its program can be replaced by the server's signed task. */
  updatable?: boolean
  /** Its own addresses, those of loopback left out. */
  addresses?: string[]
}

/** A port that something on the device waits at for others; loopback left out. */
export interface ListeningPort {
  port: number
  protocol: 'tcp' | 'udp'
}

/**
 * An event log that there is on the device, and whether its entries are read; `trouble`: they should be, and cannot.
 */
export interface LogChannel {
  name: string
  collected: boolean
  trouble?: string
}

/** A network interface that stays. */
export interface NetworkLink {
  name: string
  /** Bits a second, either way; absent: the system does not tell. */
  speed?: number
}

/** What tells a temperature: the hottest of its own. */
export interface Sensor {
  name: string
  /** Where it becomes dangerous by its own word, in °C. */
  critical?: number
}

/** A program against malicious software. */
export interface Scanner {
  name: string
  /** Whether it looks at what is opened and run; null: nobody can say. */
  isOn: boolean | null
  /** When its definitions were made; null: it has none; absent: it does not tell. */
  definitionsAt?: Millis | null
  /** Its own word on them, where it tells no time. */
  isOutdated?: boolean
  /** Why one cannot say how it is. */
  trouble?: string
}

/** What keeps out what arrives from the network: a profile of Windows, or a protocol that Linux speaks. */
export interface Firewall {
  name: string
  /** Whether what arrives and is not expressly let in is refused; null: nobody can say. */
  isOn: boolean | null
  /** Which program has it so; empty: none. */
  by: string
  trouble?: string
}

/** A place whose content can be read by whoever takes the drive out of the machine, or cannot. */
export interface GuardedVolume {
  /** Its mount, its letter, or swap. */
  name: string
  isEncrypted: boolean | null
  trouble?: string
}

/** Why nothing keeps the clock right: nothing on the machine does, or what does it reached no server. */
export const clockReasons = ['no-service', 'no-server'] as const

/** Whether something keeps the clock right. */
export interface ClockKeeping {
  isSynchronised: boolean | null
  because?: (typeof clockReasons)[number]
  trouble?: string
}

export interface Protection {
  scanners: Scanner[]
  firewalls: Firewall[]
  volumes: GuardedVolume[]
  clock: ClockKeeping
}

export const sessionKinds = ['console', 'terminal', 'desktop'] as const
export type SessionKind = (typeof sessionKinds)[number]

/** Of a person who is signed in. */
export interface Session {
  id: string
  user: string
  kind: SessionKind
  since: Millis
  /** Another machine, where they come from one. */
  from: string
}
export interface Sessions {
  list: Session[]
  /** Why nobody new may sign in; null: they may; absent: it does not tell. */
  closedBy?: string | null
}

/** What is true of a device until it changes; a subject that was never reported is absent. */
export interface Facts {
  system?: System
  disks?: Disk[]
  drives?: DriveHealth
  services?: Service[]
  starts?: ServiceStarts[]
  updates?: Updates
  waiting?: WaitingUpdate[]
  /** Names of installed packages. */
  packages?: string[]
  ports?: ListeningPort[]
  logs?: LogChannel[]
  /** Addresses of the routers that its default routes lead to, those of the link alone left out. */
  gateways?: string[]
  links?: NetworkLink[]
  /** Names of the drives whose use is told, as the system calls them. */
  blocks?: string[]
  sensors?: Sensor[]
  /** What ran for some minutes, to pick from. */
  programs?: RunningProgram[]
  files?: FileTold[]
  protection?: Protection
  sessions?: Sessions
  counters?: CountersTold[]
}
export type FactSubject = keyof Facts

export const osFamilies = ['linux', 'windows'] as const
export type OsFamily = (typeof osFamilies)[number]
/** `address`: nothing but a place that others look at, such as a page that somebody else keeps. */
export const deviceKinds = ['server', 'workstation', 'network', 'power', 'address'] as const
export type DeviceKind = (typeof deviceKinds)[number]
