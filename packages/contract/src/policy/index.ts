import Joi from 'joi'
import {
  osFamilies,
  type AssignmentBody,
  type ClientId,
  type DeviceId,
  type EffectiveWatch,
  type ExceptionBody,
  type ExceptionDoubt,
  type Millis,
  type PolicyStep,
  type SentencePart,
  type Target,
  type TemplateBody,
  type Values,
  type WatchChange,
  type WatchSpec,
} from '#core'
import { targetSchema } from '../estate/target'
import { aTime } from '../bounds'

const value = Joi.alternatives()
  .try(Joi.number(), Joi.string().allow('').max(500), Joi.boolean(), Joi.array().items(Joi.string().max(200)).max(100))
  .allow(null)
export const valuesSchema = Joi.object<Values>().pattern(Joi.string().max(60), value).max(60)
/** New things have numbers below nothing until they are stored. */
const number = Joi.number().integer().min(-2_147_483_648).max(2_147_483_647)
const instant = aTime.allow(null).default(null)

const watchSpecSchema = Joi.object<WatchSpec, true>({
  key: Joi.string().max(61).required(),
  kind: Joi.string().max(60).required(),
  name: Joi.string().trim().min(1).max(100).required(),
  why: Joi.string().allow('').max(1000).required(),
  osFamilies: Joi.array()
    .items(Joi.string().valid(...osFamilies))
    .required(),
  values: valuesSchema.required(),
})

export type NewTemplate = TemplateBody
export const newTemplateSchema = Joi.object<NewTemplate, true>({
  name: Joi.string().trim().min(1).max(100).required(),
  description: Joi.string().allow('').max(2000).required(),
  includes: Joi.array().items(number).max(20).unique().default([]),
  watches: Joi.array().items(watchSpecSchema).max(200).required(),
})

export type NewAssignment = AssignmentBody
export const newAssignmentSchema = Joi.object<NewAssignment, true>({
  templateId: number.required(),
  target: targetSchema.required(),
  rank: Joi.number().integer().min(0).max(1000).default(100),
  values: Joi.object().pattern(Joi.string().max(61), valuesSchema).default({}),
  dormant: Joi.boolean().default(false),
  reason: Joi.string().allow('').max(500).default(''),
  reviewAt: instant,
})

export type NewException = ExceptionBody
export const newExceptionSchema = Joi.object<NewException, true>({
  target: targetSchema.required(),
  watch: Joi.string().max(61).required(),
  values: valuesSchema.default({}),
  leftOut: Joi.boolean().default(false),
  reason: Joi.string()
    .trim()
    .min(3)
    .max(500)
    .required()
    .messages({ 'string.empty': 'Say why: whoever finds this exception in a year needs it.' }),
  ownerId: number.allow(null).default(null),
  reviewAt: instant,
})

/** A change of policy: all of its steps, or none. */
export interface PolicyChange {
  steps: PolicyStep[]
}
const step = { id: number.min(-100_000).max(2_147_483_647).required(), basedOn: number.min(0).required() }
export const policyChangeSchema = Joi.object<PolicyChange, true>({
  steps: Joi.array()
    .items(
      Joi.alternatives<PolicyStep>().try(
        Joi.object({
          of: Joi.valid('template').required(),
          ...step,
          note: Joi.string().allow('').max(500).default(''),
          to: newTemplateSchema.required().allow(null),
        }),
        Joi.object({ of: Joi.valid('assignment').required(), ...step, to: newAssignmentSchema.required().allow(null) }),
        Joi.object({ of: Joi.valid('exception').required(), ...step, to: newExceptionSchema.required().allow(null) }),
      ),
    )
    .min(1)
    .max(5000)
    .required(),
})
/** The numbers of what the steps were about, in their order. */
export interface PolicyChanged {
  ids: number[]
}

export interface TargetTrial {
  target: Target
}
export const targetTrialSchema = Joi.object<TargetTrial, true>({ target: targetSchema.required() })
/**
 * What a target says and reaches; with faults it reaches nothing yet. `sample`: the first of them by client and name.
 */
export interface TargetMatches {
  sentence: string
  faults: { at: number[]; message: string }[]
  devices: number
  clients: number
  sample: { deviceId: DeviceId; deviceName: string; clientName: string; siteName: string }[]
}

export interface TemplateSummary {
  id: number
  name: string
  description: string
  revision: number
  watchCount: number
  deviceCount: number
  exceptionCount: number
  includes: number[]
  savedAt: Millis
  savedBy: string
}
/** `changes`: what it changed, in words. */
export interface TemplateRevision {
  revision: number
  savedAt: Millis
  savedBy: string
  note: string
  changes: string[]
  body: TemplateBody
}
export interface TemplatePage extends TemplateSummary {
  watches: WatchSpec[]
  assignments: AssignmentView[]
  exceptions: ExceptionView[]
  /** Templates that include it. */
  includedBy: { id: number; name: string }[]
  revisions: TemplateRevision[]
}
export interface AssignmentView extends NewAssignment {
  id: number
  revision: number
  templateName: string
  targetText: string
  /** What its own values are of: by the key of each watch, its name and kind. */
  watches: Record<string, { name: string; kind: string }>
  deviceCount: number
  createdAt: Millis
  createdBy: string
}
/** `templates`: those that have the watch, whose key its `watch` is. `kind` and `watchName`: of the first of them. */
export interface ExceptionView extends NewException {
  id: number
  revision: number
  targetText: string
  watchName: string
  kind: string
  deviceCount: number
  doubts: ExceptionDoubt[]
  templates: { id: number; name: string }[]
  ownerName: string
  createdAt: Millis
  createdBy: string
}

/** Everything of policy that people search in. */
export interface PolicyListing {
  templates: ListedTemplate[]
  assignments: AssignmentView[]
  exceptions: ExceptionView[]
}
export interface ListedTemplate extends TemplateSummary {
  kinds: string[]
  roles: string[]
  owner: string
  text: string
}

/**
 * A cell of the grid: how many devices of the role get the template, and how many exceptions stand on its watches
 * there.
 */
export interface GridCell {
  role: string
  templateId: number
  devices: number
  exceptions: number
  assigned: boolean
}
export interface PolicyGrid {
  roles: { id: string; name: string; devices: number }[]
  templates: TemplateSummary[]
  cells: GridCell[]
}

export interface RosterWatch extends EffectiveWatch {
  sentence: SentencePart[]
}

/** A device as it might be; what is absent stays as it is. */
export interface WhatIf {
  roles?: string[]
  siteId?: number
  tags?: string[]
}
export const whatIfSchema = Joi.object<WhatIf, true>({
  roles: Joi.array().items(Joi.string().max(60)).max(20).unique(),
  siteId: number,
  tags: Joi.array().items(Joi.string().trim().min(1).max(60)).max(20).unique(),
}).min(1)

/** One watch changed alike on some devices; what is evaluated before and after, as sentences. */
export interface ImpactWatch extends Omit<WatchChange, 'before' | 'after'> {
  /** What of it is altered, each parameter with its old and new value. */
  moves: string[]
  devices: number
  before: SentencePart[] | null
  after: SentencePart[] | null
}

/**
 * Before and after, a day. `events` null: how many a log newly read would bring is not known. `entries`: how many log
 * entries are kept of what the devices write; null where that stays as it is, after null where more are kept than
 * anybody has counted.
 */
export interface ImpactCost {
  readings: [number, number]
  events: number | null
  logs: string[]
  entries: [before: number, after: number | null] | null
}

/** What a change would do, before it is saved. */
export interface Impact {
  devices: number
  clients: number
  /** Devices that the edit does not reach because of exceptions of their own. */
  keepOwn: number
  added: number
  removed: number
  altered: number
  watches: ImpactWatch[]
  /** The first of the devices; `watches` are positions in the list above. */
  examples: { deviceId: DeviceId; deviceName: string; clientId: ClientId; clientName: string; watches: number[] }[]
  cost: ImpactCost
}

/** Lets the devices that follow a value of a template now keep it as an exception. */
export interface KeepValue {
  watch: string
  parameter: string
  reason: string
}
export const keepValueSchema = Joi.object<KeepValue, true>({
  watch: Joi.string().max(61).required(),
  parameter: Joi.string().max(60).required(),
  reason: Joi.string().trim().min(3).max(500).required(),
})
export interface KeptValue {
  devices: number
}

/** Policy as text, looked at before it counts; with faults nothing can be applied. */
export interface PolicyText {
  text: string
  note: string
}
export const policyTextSchema = Joi.object<PolicyText, true>({
  text: Joi.string().max(2_000_000).required(),
  note: Joi.string().allow('').max(500).default(''),
})
/** Which templates: their numbers, with commas between; absent: everything. */
export interface ExportSelection {
  templates?: string
}
export const exportSelectionSchema = Joi.object<ExportSelection, true>({
  templates: Joi.string().pattern(/^\d{1,9}(,\d{1,9})*$/, 'numbers with commas between'),
})
export interface TextFault {
  line: number
  at: string
  message: string
}
export interface TextTrial {
  faults: TextFault[]
  steps: { of: PolicyStep['of']; change: 'made' | 'changed' | 'removed'; name: string; words: string[] }[]
  impact: Impact | null
}
export interface ExportedPolicy {
  text: string
}
