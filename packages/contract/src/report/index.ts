import type {
  Collector,
  CounterAsk,
  Facts,
  FileAsk,
  LogEvent,
  LogKeeping,
  Millis,
  OptionalCollector,
  PacedCollector,
  ProbeAsk,
  ProbeTold,
  ProcessChoice,
  TopProcesses,
} from '#core'
import type { SignedText } from './task'

export type {
  DeployProgress,
  DeployCommand,
  Command,
  ReadCommand,
  ServiceProgress,
  ServiceCommand,
  SignedText,
  SignInTrial,
  SweepProgress,
  SweepCommand,
  Task,
  TaskOnWire,
  TaskReceipt,
  TaskProgress,
  UpdateProgress,
  UpdateCommand,
} from './task'
export type { KeyStatement, ProgramName, ReleaseKey, ReleaseStatement, SignedProgram } from './release'

/** Version of the agent's protocol. A server answers another version with what it speaks. */
export const protocolVersion = 1

/** Bounds of a batch. A client that must send more sends several batches. */
export const batchLimits = { reports: 120, readings: 2000, events: 500, bytes: 4 * 1024 * 1024 } as const

/**
 * Bounds of what is told as facts, in entries and characters. An agent cuts to them; a fact that is longer is refused.
 */
export const factLimits = {
  services: 3000,
  serviceName: 260,
  title: 300,
  account: 120,
  neededBy: 20,
  starting: 100,
  startLooks: 60,
  disks: 500,
  drives: 200,
  driveName: 120,
  mount: 400,
  fileSystem: 40,
  packages: 20_000,
  packageName: 200,
  ports: 2000,
  logs: 500,
  logName: 200,
  trouble: 300,
  updateNames: 200,
  updateName: 200,
  waiting: 1000,
  /** Of a version, and of where an update comes from. */
  updateWords: 200,
  outdated: 200,
  outdatedFiles: 5,
  osName: 120,
  hostName: 255,
  addresses: 64,
  gateways: 16,
  links: 100,
  blocks: 100,
  sensors: 32,
  /** Of an interface, a drive or a sensor. */
  partName: 100,
  programs: 300,
  programPath: 300,
  programArguments: 300,
  programUser: 100,
  files: 200,
  fileName: 600,
  /** Of each sort of protection; of its programs and profiles, the characters of a name. */
  guards: 100,
  guardName: 120,
  sessions: 500,
  sessionWord: 260,
  counters: 50,
  counterSeries: 1000,
  /** Of a program, a counter, and a series of both. */
  counterName: 300,
  probes: 500,
  probeDetail: 200,
} as const
/** Bounds of a log entry, in characters; of its fields so many are told. */
export const eventLimits = {
  channel: 200,
  source: 200,
  text: 4000,
  fields: 24,
  fieldName: 64,
  fieldText: 400,
} as const

/**
 * A collector that could not do its part, and why, for the technician. `notHere`: there is nothing of the kind on this
 * machine, which is no trouble of the collector.
 */
export interface CollectorFailure {
  collector: Collector
  reason: string
  notHere?: true
}

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
  /** For how long the machine had been up then, sleep included: a clock that nobody sets. Older agents do not tell. */
  up?: Millis
  /** Which start of the machine `up` counts from. */
  boot?: string
  /** Log entries that were left out because more came at once than an agent tells. */
  leftOut?: number
  /** What used the machine most, where this was a moment worth telling. */
  top?: TopProcesses
}

export interface ReportBatch {
  version: typeof protocolVersion
  /** By the device's own clock; shows how far it is off. */
  sentAt: Millis
  /** As in a report, at the moment of sending. */
  up?: Millis
  boot?: string
  /** Random, of this run of the agent: two machines that report as one device are told apart by it. */
  instance?: string
  /** Of the machine's own identifier (machine-id(5)), hashed so that it serves nothing else. */
  machine?: string
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

/**
 * An optional collector to have. `digest`: SHA-256 of its program in hexadecimal digits; where it is another than what
 * is there, it is fetched.
 */
export interface WantedCollector {
  name: OptionalCollector
  digest: string
}
/**
 * `logs`: names of logs to read beyond the ordinary ones, as patterns. `shares`: whether to ask how much is free
 * on what other machines share with it. `keep`: which log entries to tell of; all of them where it is not said.
 * `processes`: which to count; `files`: which to look at; `counters`: what to read of programs.
 */
export interface CollectSettings {
  logs: string[]
  collectors: WantedCollector[]
  shares?: true
  keep?: LogKeeping
  processes?: ProcessChoice[]
  files?: FileAsk[]
  counters?: CounterAsk[]
  probes?: ProbeAsk[]
}

/** What looks at other devices came to; each is kept or refused by itself. */
export interface ProbeBatch {
  probes: ProbeTold[]
}
export interface ProbeReceipt {
  kept: number
  refused: Refusal[]
}
/**
 * What an agent works by. `every`: collectors that do not run with each report, or run between reports. `roster`: a
 * mark of the watches that this is for; the agent says it back, so that the server knows that it works by them.
 */
export interface AgentSettings {
  interval: Millis
  deviceName: string
  clientName: string
  siteName: string
  collect: CollectSettings
  every: Partial<Record<PacedCollector, Millis>>
  roster: string
}

/** Something of this device's that was refused, for whoever looks on the machine itself. */
export interface RefusedBrief {
  at: Millis
  detail: string
}
/**
 * What an agent hears of itself. `lastSeq`: the newest report that the server has seen. An agent that has not come so
 * far was set back, by a restored snapshot say, and counts on from there.
 */
export interface AgentSelf extends AgentSettings {
  lastSeq: number
  refusedCount: number
  refused: RefusedBrief[]
}

/** An agent waits to be told of a change; it says which roster it works by. */
export interface ChangeRequest {
  roster: string
}
/** `work`: there is a task for it, which it gets with the receipt of a report. */
export interface ChangeAnswer {
  settings: AgentSettings
  work: boolean
}

export interface ReportReceipt {
  /** Everything up to and including this number is committed, or was refused for good. */
  acknowledged: number
  refused: Refusal[]
  /** Device clock minus server clock, as the server uses it to correct times. */
  clockOffset: Millis
  settings: AgentSettings
  /** Work for this device; absent where there is none. */
  tasks?: SignedText[]
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
  /**
   * The key of the server's signatures, Ed25519 as SubjectPublicKeyInfo (RFC 8410) in base64. What is signed by another
   * is refused.
   */
  serverKey: string
  clockOffset: Millis
  settings: AgentSettings
}
