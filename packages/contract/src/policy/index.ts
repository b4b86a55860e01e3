import Joi from 'joi'
import { osFamilies, type ClientId, type DeviceId, type EffectiveWatch, type Millis, type SentencePart, type Target, type Values, type WatchChange, type WatchSpec } from '#core'
import { targetSchema } from '../estate/target'

const value = Joi.alternatives().try(Joi.number(), Joi.string().allow('').max(500), Joi.boolean(), Joi.array().items(Joi.string().max(200)).max(100)).allow(null)
export const valuesSchema = Joi.object<Values>().pattern(Joi.string().max(60), value).max(60)

const watchSpecSchema = Joi.object<WatchSpec, true>({
  key: Joi.string().max(61).required(),
  kind: Joi.string().max(60).required(),
  name: Joi.string().trim().min(1).max(100).required(),
  why: Joi.string().allow('').max(1000).required(),
  osFamilies: Joi.array().items(Joi.string().valid(...osFamilies)).required(),
  values: valuesSchema.required(),
})

export interface NewTemplate { name: string; description: string; watches: WatchSpec[] }
export const newTemplateSchema = Joi.object<NewTemplate, true>({
  name: Joi.string().trim().min(1).max(100).required(),
  description: Joi.string().allow('').max(2000).required(),
  watches: Joi.array().items(watchSpecSchema).max(200).required(),
})

/** `basedOn`: the revision that was edited; another one in force means that somebody saved in between. */
export interface TemplateEdit extends NewTemplate { basedOn: number; note: string }
export const templateEditSchema = Joi.object<TemplateEdit, true>({
  name: Joi.string().trim().min(1).max(100).required(),
  description: Joi.string().allow('').max(2000).required(),
  watches: Joi.array().items(watchSpecSchema).max(200).required(),
  basedOn: Joi.number().integer().min(1).required(),
  note: Joi.string().allow('').max(500).required(),
})

export interface NewAssignment { templateId: number; target: Target; rank: number; values: Record<string, Values>; dormant: boolean; reason: string }
export const newAssignmentSchema = Joi.object<NewAssignment, true>({
  templateId: Joi.number().integer().required(),
  target: targetSchema.required(),
  rank: Joi.number().integer().min(0).max(1000).default(100),
  values: Joi.object().pattern(Joi.string().max(61), valuesSchema).default({}),
  dormant: Joi.boolean().default(false),
  reason: Joi.string().allow('').max(500).default(''),
})

export interface NewException { target: Target; watch: string; values: Values; leftOut: boolean; reason: string }
export const newExceptionSchema = Joi.object<NewException, true>({
  target: targetSchema.required(),
  watch: Joi.string().max(61).required(),
  values: valuesSchema.default({}),
  leftOut: Joi.boolean().default(false),
  reason: Joi.string().trim().min(3).max(500).required().messages({ 'string.empty': 'Say why: whoever finds this exception in a year needs it.' }),
})

export interface TemplateSummary { id: number; name: string; description: string; revision: number; watchCount: number; deviceCount: number; exceptionCount: number; savedAt: Millis; savedBy: string }
export interface TemplateRevision { revision: number; savedAt: Millis; savedBy: string; note: string }
export interface TemplatePage extends TemplateSummary {
  watches: WatchSpec[]
  assignments: AssignmentView[]
  exceptions: ExceptionView[]
  revisions: TemplateRevision[]
}
export interface AssignmentView extends NewAssignment { id: number; templateName: string; targetText: string; deviceCount: number; createdAt: Millis; createdBy: string }
export interface ExceptionView extends NewException { id: number; targetText: string; createdAt: Millis; createdBy: string }

/** A cell of the grid: how many devices of the role get the template, and how many exceptions stand on its watches there. */
export interface GridCell { role: string; templateId: number; devices: number; exceptions: number; assigned: boolean }
export interface PolicyGrid { roles: { id: string; name: string; devices: number }[]; templates: TemplateSummary[]; cells: GridCell[] }

export interface RosterWatch extends EffectiveWatch { sentence: SentencePart[] }

/** What a change would do, before it is saved. */
export interface Impact {
  devices: number
  clients: number
  keepOwn: number
  added: number
  removed: number
  altered: number
  examples: { deviceId: DeviceId; deviceName: string; clientId: ClientId; changes: WatchChange[] }[]
}
