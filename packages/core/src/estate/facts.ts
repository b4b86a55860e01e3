import type { Bytes, Millis } from '../units'

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

/** `trouble`: it is there, and its agent cannot look into it. */
export interface Disk {
  mount: string
  device: string
  fileSystem: string
  removable: boolean
  size: Bytes
  trouble?: string
}

export interface Updates {
  security: number
  other: number
  /** Packages that nothing needs any more. */
  leftover: number
  /** When the longest waiting one was first seen; null where none waits. */
  oldestSecurityAt: Millis | null
  oldestOtherAt: Millis | null
  restartPending: boolean
  checkedAt: Millis
  /** When the lists of packages that this was worked out from were fetched; null: unknown. Older agents do not tell. */
  listsAt?: Millis | null
  /** Names, security updates first, at most 200. */
  names: string[]
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

/** What is true of a device until it changes; a subject that was never reported is absent. */
export interface Facts {
  system?: System
  disks?: Disk[]
  services?: Service[]
  starts?: ServiceStarts[]
  updates?: Updates
  /** Names of installed packages. */
  packages?: string[]
  ports?: ListeningPort[]
  logs?: LogChannel[]
  /** Addresses of the routers that its default routes lead to, those of the link alone left out. */
  gateways?: string[]
}
export type FactSubject = keyof Facts

export const osFamilies = ['linux', 'windows'] as const
export type OsFamily = (typeof osFamilies)[number]
export const deviceKinds = ['server', 'workstation', 'network', 'power'] as const
export type DeviceKind = (typeof deviceKinds)[number]
