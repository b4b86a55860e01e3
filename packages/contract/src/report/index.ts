import type { Collector, Facts, LogEvent, Millis, OptionalCollector, PacedCollector } from '#core'
import type { SignedTask } from './task'

export type { DeployNews, DeployOrder, Order, ServiceNews, ServiceOrder, SignedTask, SignInTrial, SweepNews, SweepOrder, ReleaseFile, Task, TaskHeard, TaskNews, UpdateNews, UpdateOrder } from './task'

/** Version of the agent's protocol. A server answers another version with what it speaks. */
export const protocolVersion = 1

/** Bounds of a batch. A client that must send more sends several batches. */
export const batchLimits = { reports: 120, readings: 2000, events: 500, bytes: 4 * 1024 * 1024 } as const

/** A collector that could not do its part, and why, for the technician. */
export interface CollectorFailure { collector: Collector; reason: string }

/** What a device tells at one moment. Readings are checked one by one, so that a bad one does not cost the others. */
export interface Report {
  /** Rises by one from report to report of one agent, beginning at 1. */
  seq: number
  /** By the device's own clock. */
  at: Millis
  /** Time between this agent's reports. */
  interval: Millis
  readings: [metric: string, instance: string, value: number][]
  /** Only the subjects that changed since the last report. */
  facts?: Facts
  events?: LogEvent[]
  failed?: CollectorFailure[]
  /** Collectors whose turn it was not; their last word stands. */
  rested?: Collector[]
  /** Mark of the roster that it works by. */
  roster?: string
}

export interface ReportBatch {
  version: typeof protocolVersion
  /** By the device's own clock; shows how far it is off. */
  sentAt: Millis
  /** Least sequence number that the agent still has; what is missing before it is lost for good. */
  oldest: number
  reports: Report[]
}

/** Something in a batch that was not kept, while the rest was. */
export interface Refusal {
  /** Null when the number itself could not be read. */
  seq: number | null
  /** JSON pointer into the batch (RFC 6901). */
  pointer: string
  code: string
  detail: string
}

/** An optional collector to have, by the SHA-256 of its program in hexadecimal digits: another one is to be fetched. */
export interface WantedCollector { name: OptionalCollector; digest: string }
/** `logs`: names of logs to read beyond the ordinary ones, as patterns. */
export interface CollectSettings { logs: string[]; collectors: WantedCollector[] }
/**
 * What an agent works by. `every`: collectors that do not run with each report, or run between reports. `roster`: a mark of
 * the watches that this is for; the agent says it back, so that the server knows that it works by them.
 */
export interface AgentSettings { interval: Millis; deviceName: string; clientName: string; siteName: string; collect: CollectSettings; every: Partial<Record<PacedCollector, Millis>>; roster: string }

/** An agent waits to be told of a change; it says which roster it works by. */
export interface AttendRequest { roster: string }
/** `work`: there is an order for it, which it gets with the receipt of a report. */
export interface Attended { settings: AgentSettings; work: boolean }

export interface ReportReceipt {
  /** Everything up to and including this number is committed, or was refused for good. */
  acknowledged: number
  refused: Refusal[]
  /** Device clock minus server clock, as the server uses it to correct times. */
  clockOffset: Millis
  settings: AgentSettings
  /** Work for this device; absent where there is none. */
  tasks?: SignedTask[]
}

export interface EnrolmentRequest {
  version: typeof protocolVersion
  key: string
  name: string
  osFamily: 'linux' | 'windows'
  osName: string
  /** Its own addresses, those of loopback left out. */
  addresses?: string[]
  /** By the device's own clock. */
  sentAt: Millis
}

export interface Enrolment {
  deviceId: number
  /** Shown once; it speaks for this device only. */
  deviceKey: string
  /** Sequence number of the first report; a device that was reinstalled counts on from where it was. */
  firstSeq: number
  /** The key of the server's signatures, Ed25519 as SubjectPublicKeyInfo (RFC 8410) in base64. What is signed by another is refused. */
  serverKey: string
  clockOffset: Millis
  settings: AgentSettings
}
