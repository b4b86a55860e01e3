import Joi from 'joi'
import type { CollectorFailure } from '../report'
import type { ClientId, Collector, DeviceId, DeviceKind, Facts, Millis, OsFamily, Severity, SiteId } from '#core'
import type { AccessLevel } from '../access'
import { afterTime, aNumber, hoursSchema } from '../bounds'
export { targetSchema } from './target'

export interface Client {
  id: ClientId
  name: string
  code: string
  deviceCount: number
  sites: Site[]
}
/** `networks`: in CIDR notation; they bound sweeps and place newcomers by their address. */
export interface Site {
  id: SiteId
  clientId: ClientId
  name: string
  zone: string
  networks: string[]
  /** What of other addresses its devices may look at: addresses, networks, names. */
  named: string[]
  /** Devices there that can be asked to sweep, or to bring agents to others. */
  helpers: number
}
export interface Role {
  id: string
  name: string
}

export interface NewClient {
  name: string
  code: string
}
export const newClientSchema = Joi.object<NewClient, true>({
  name: Joi.string().trim().min(1).max(100).required(),
  code: Joi.string()
    .pattern(/^[a-z][a-z0-9]{0,9}$/, 'small letters and digits')
    .required(),
})
const named = Joi.array().items(Joi.string().trim().lowercase().max(200)).max(100).unique()
const networks = Joi.array().items(Joi.string().trim().max(60)).max(50).unique()
export interface NewSite {
  clientId: ClientId
  name: string
  zone: string
  networks: string[]
}
export const newSiteSchema = Joi.object<NewSite, true>({
  clientId: aNumber.required(),
  name: Joi.string().trim().min(1).max(100).required(),
  zone: Joi.string().max(60).required(),
  networks: networks.default([]),
})
/** What is not named stays as it is. */
export interface ClientChange {
  name?: string
  code?: string
  notes?: string
  /** What one does for them, in words, and in which hours of the week, on the clocks of their sites; empty: any. */
  agreed?: string
  agreedHours?: string
  /** Whoever writes from there is of this client. */
  mailDomains?: string[]
}
const notes = Joi.string().allow('').max(4000)
export const clientChangeSchema = Joi.object<ClientChange, true>({
  name: Joi.string().trim().min(1).max(100),
  code: Joi.string().pattern(/^[a-z][a-z0-9]{0,9}$/, 'small letters and digits'),
  notes,
  agreed: Joi.string().allow('').trim().max(1000),
  agreedHours: hoursSchema,
  mailDomains: Joi.array()
    .items(Joi.string().trim().lowercase().domain({ tlds: false }).max(200))
    .unique()
    .max(20),
}).min(1)
export interface SiteChange {
  name?: string
  zone?: string
  networks?: string[]
  named?: string[]
  notes?: string
}
export const siteChangeSchema = Joi.object<SiteChange, true>({
  name: Joi.string().trim().min(1).max(100),
  zone: Joi.string().max(60),
  networks,
  named,
  notes,
}).min(1)
/** A client becomes a part of another. */
export interface ClientMerge {
  into: ClientId
}
export const clientMergeSchema = Joi.object<ClientMerge, true>({ into: aNumber.required() })
/** What a merge would do. */
export interface MergePreview {
  sites: number
  devices: number
  /** Devices that both have by these names: they keep it from being done. */
  clashes: string[]
  /** Who sees one of both, and would see the other, too. */
  people: string[]
  /** Assignments, exceptions, windows and call-out rules that speak of the client: they would speak of its sites. */
  rules: number
}
export interface ClientRemoval {
  /** As it is written: somebody means it. */
  name: string
}
export const clientRemovalSchema = Joi.object<ClientRemoval, true>({ name: Joi.string().max(100).required() })
/** A client that is looked after no more. */
export interface RetiredClient {
  id: ClientId
  name: string
  code: string
  retiredAt: Millis
  devices: number
}
/** Whom one knows at a client. */
export interface ContactBody {
  name: string
  email: string
  phone: string
  note: string
}
export const contactBodySchema = Joi.object<ContactBody, true>({
  name: Joi.string().trim().min(1).max(100).required(),
  email: Joi.string().email({ tlds: false }).allow('').trim().max(200).default(''),
  phone: Joi.string().allow('').trim().max(60).default(''),
  note: Joi.string().allow('').trim().max(500).default(''),
})
export interface Contact extends ContactBody {
  id: number
  /** Of those who sign in by this address: what they may. */
  access: AccessLevel | null
}
/** What whoever works there should know: how to get in, when somebody is there. */
export interface ClientDetail {
  id: ClientId
  notes: string
  agreed: string
  agreedHours: string
  mailDomains: string[]
  contacts: Contact[]
  sites: { id: SiteId; notes: string }[]
}
export interface SiteNetworks {
  networks: string[]
}
export const siteNetworksSchema = Joi.object<SiteNetworks, true>({ networks: networks.required() })

export interface BoardDisk {
  mount: string
  size: number
  free: number
  severity: Severity | null
}

/** A device as the board compares it. */
export interface BoardDevice {
  id: DeviceId
  name: string
  clientId: ClientId
  clientName: string
  siteName: string
  kind: DeviceKind
  /** Null: it has no agent. */
  osFamily: OsFamily | null
  osName: string
  roles: string[]
  tags: string[]
  worst: Severity | null
  held: number
  silent: boolean
  disks: BoardDisk[]
  /** Services not as they should be, by name. */
  services: { name: string; severity: Severity; held: boolean }[]
  /** `isKnown`: there are package lists from which to know. */
  updates: { security: number; other: number; oldestSecurityAt: Millis | null; isKnown: boolean } | null
  /** Whether its services were ever told: without, nobody knows how they are. */
  servicesRead: boolean
  /** Collectors that fail now: what they last told may be so no longer. */
  failing: Collector[]
  /** Log events of the last 24 hours, one count an hour, oldest first. */
  events: number[]
  /** Of them those at level error or worse. */
  errors: number[]
  heardAt: Millis | null
  /** When its newest report was made: what a page shows of it is as it was then. */
  readAt: Millis | null
  interval: Millis
  /** It can be asked to sweep, or to bring agents to others. */
  takesTasks: boolean
  /** Those that its agent told. */
  addresses: string[]
}

export interface NamedDevice {
  id: DeviceId
  name: string
}
/**
 * What a device is reached through; null: nothing known. `by`: a person chose it, or that it is nothing, or else
 * its default routes lead there.
 */
export interface DependsOn {
  device: NamedDevice | null
  by: 'person' | 'routes'
}

/** When a disk will be full: between two times from now with a confidence of 90 %, at its pace of the last weeks. */
export interface DiskFill {
  mount: string
  soonest: Millis
  likely: Millis
  /** Null: far ahead. */
  latest: Millis | null
  perDay: number
  clearedEvery: Millis | null
}

export interface DevicePage extends BoardDevice {
  siteId: SiteId
  zone: string
  agentVersion: string
  clockOffset: Millis
  /** When the machine was started, by our clock, as its newest report says; null: its agent does not tell. */
  startedAt: Millis | null
  /** The window in which it was started: planned work. */
  startedIn: { id: number; name: string } | null
  dependsOn: DependsOn
  /** What is reached through it: how many in all, and the first by name. */
  behind: { total: number; devices: NamedDevice[] }
  enrolledAt: Millis
  facts: Facts
  factTimes: Partial<Record<keyof Facts, Millis>>
  latest: { at: Millis; readings: [string, string, number][] } | null
  /** When its disks will be full, of those that fill. */
  fills: DiskFill[]
  failed: CollectorFailure[]
  lostReports: number
  /** Log entries that its agent left out because too many came at once, and such as were older than is kept. */
  leftOutEntries: number
  oldEntries: number
  /** Parts of its reports that were refused: how many in all, and the newest. */
  refusedCount: number
  refused: RefusedPartView[]
  /** When the agent was told the roster as it is now, and when it said that it works by it; null: not yet. */
  roster: { sentAt: Millis | null; confirmedAt: Millis | null }
}

/** A part of a report that could not be kept. `body`: what was sent, as JSON, its beginning where that is long. */
export interface RefusedPartView {
  id: number
  at: Millis
  seq: number | null
  pointer: string
  code: string
  detail: string
  body: string
}

/** The oldest time of which something is kept. */
export interface PastKept {
  since: Millis
}

export interface DeviceRoles {
  roles: string[]
}
export const deviceRolesSchema = Joi.object<DeviceRoles, true>({
  roles: Joi.array().items(Joi.string().max(60)).max(20).unique().required(),
})

/** Where a device stands and what it is called; absent: as it is. */
export interface DeviceMove {
  name?: string
  siteId?: SiteId
  tags?: string[]
  /** The device that it is reached through, or nothing, or what its default routes say. */
  dependsOn?: DeviceId | 'nothing' | 'routes'
  /** Only of one that has no agent: an agent tells its own. */
  address?: string
}
export const deviceMoveSchema = Joi.object<DeviceMove, true>({
  name: Joi.string()
    .trim()
    .pattern(/^[\w][\w .-]{0,62}$/, 'letters, digits, dots, spaces and hyphens'),
  siteId: aNumber,
  tags: Joi.array().items(Joi.string().trim().min(1).max(60)).max(20).unique(),
  dependsOn: Joi.alternatives(aNumber, Joi.valid('nothing', 'routes')),
  address: Joi.string().trim().max(253),
}).min(1)

/** The device as it was, whose history this one takes over. */
export interface DeviceMerge {
  from: DeviceId
}
export const deviceMergeSchema = Joi.object<DeviceMerge, true>({ from: aNumber.required() })

/** A device that is out of use: its history is kept, its key is not. */
export interface RetiredDevice {
  id: DeviceId
  name: string
  clientId: ClientId
  clientName: string
  siteName: string
  retiredAt: Millis
  mergedInto: DeviceId | null
}
/** The newest first. */
export interface RetiredQuery {
  client?: ClientId
  /** A part of the name. */
  words?: string
  after?: string
  limit: number
}
export const retiredQuerySchema = Joi.object<RetiredQuery, true>({
  client: aNumber,
  words: Joi.string().allow('').max(100),
  after: afterTime,
  limit: Joi.number().integer().min(1).max(500).default(100),
})
export interface RetiredList {
  total: number
  devices: RetiredDevice[]
  next: string | null
}

export interface Found {
  kind: 'device' | 'client' | 'template' | 'alert' | 'window'
  id: number
  title: string
  context: string
  path: string
}
