import type { Answering, DeviceId, FailureKind, Millis, ServiceAction } from '#core'

/** A way to sign in, tried in order. */
export interface SignInTrial {
  id: number
  /** What it is called where it is stored. */
  name?: string
  user: string
  password?: string
  privateKey?: string
}
/**
 * Probe every host of a network. `trials`: where SSH or Windows' remote management over TLS answers, sign in with
 * the first of them that is taken, and look what it is. `hostKeys`: by address, what was accepted; a host that shows
 * another is left alone.
 */
export interface SweepCommand {
  kind: 'sweep'
  network: string
  ports: number[]
  trials?: SignInTrial[]
  hostKeys?: Record<string, string>
  /** Passwords go also to hosts whose key nobody has accepted: somebody said so for this sweep. */
  passwordsToUnknown?: boolean
}
/** Bring an agent to one machine over SSH (RFC 4253): the same script that a person would run there. */
export interface DeployCommand {
  kind: 'deploy'
  address: string
  name: string | null
  trials: SignInTrial[]
  /** SHA-256 of its host key, in base64, when somebody has accepted it; null: nobody has. */
  hostKey: string | null
  /** A password goes there all the same: somebody said so for this run. */
  passwordsToUnknown: boolean
  enrolmentKey: string
  /** For all of it, in milliseconds. */
  within: Millis
}
/**
 * Run another version: the command names it, and what it is stands in its release statement. One that does not report
 * within the time is given up, and the one before goes on.
 */
export interface UpdateCommand {
  kind: 'update'
  version: string
  within: Millis
}
/** Start, stop or restart one service of the device itself. */
export interface ServiceCommand extends ServiceAction {
  kind: 'service'
}
/** Read everything anew, whosever turn it is, tell all of it, and report at once. It changes nothing. */
export interface ReadCommand {
  kind: 'read'
}
/** Everything that a server can ask of an agent. There is no other: an agent refuses what it does not know. */
export type Command = SweepCommand | DeployCommand | UpdateCommand | ServiceCommand | ReadCommand

export interface Task {
  id: number
  deviceId: DeviceId
  expiresAt: Millis
  command: Command
}
/** Agents of version 0.4.0 read the command as `order`. */
export interface TaskOnWire extends Task {
  order: Command
}

/** What was signed is exactly the text that is read: Ed25519 (RFC 8032) over its UTF-8, in base64. */
export interface SignedText {
  text: string
  signature: string
}

/** How a task goes. What was found is told once, as it is found. */
export interface SweepProgress {
  state: 'running' | 'done' | 'failed'
  reason: string
  scanned: number
  total: number
  found: Answering[]
}
/** `trial`: the sign-in that worked. */
export interface DeployProgress {
  state: 'running' | 'done' | 'failed'
  step: string
  failure: FailureKind | null
  reason: string
  hostKey: string | null
  trial: number | null
}
export interface UpdateProgress {
  state: 'running' | 'done' | 'failed'
  step: string
  reason: string
}
/** How the service was before and is now. `hopeless`: it failed for a reason that another attempt would meet again. */
export interface ServiceProgress {
  state: 'done' | 'failed'
  before: string
  after: string
  reason: string
  hopeless: boolean
}
export type TaskProgress =
  { sweep: SweepProgress } | { deploy: DeployProgress } | { update: UpdateProgress } | { service: ServiceProgress }
export interface TaskReceipt {
  heard: boolean
}
