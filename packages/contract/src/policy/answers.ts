import { osFamilies, type ChainLink, type SentencePart, type Source, type Values, type WatchChange, type WatchSpec } from '#core'
import Joi from 'joi'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { targetSchema } from '../estate/target'
import type { AssignmentView, ExceptionView, GridCell, Impact, PolicyGrid, RosterWatch, TemplatePage, TemplateRevision, TemplateSummary } from './index'

const value = Joi.alternatives().try(Joi.number(), words, Joi.boolean(), Joi.array().items(words)).allow(null)
const values = Joi.object<Values>().pattern(Joi.string(), value).description('Values by parameter name.')

export const sentencePartSchema = Joi.object<SentencePart>({ text: words.required(), parameter: Joi.string().optional() })
export const sourceSchema = answerOf<Source>({
  from: Joi.string().valid('default', 'template', 'assignment', 'exception'),
  id: count, name: words, revision: count.allow(null), target: targetSchema.allow(null),
})

const watch = answerOf<WatchSpec>({
  key: words, kind: words, name: words, why: words,
  osFamilies: Joi.array().items(Joi.string().valid(...osFamilies)).description('Empty: every OS family.'),
  values,
})
const summary = {
  id, name: words, description: words, revision: count, watchCount: count, deviceCount: count, exceptionCount: count, savedAt: instant, savedBy: words,
}
const templateSummary = answerOf<TemplateSummary>(summary)
const assignment = answerOf<AssignmentView>({
  id, templateId: id, templateName: words, target: targetSchema, targetText: words, deviceCount: count, rank: count,
  values: Joi.object().pattern(Joi.string(), values), dormant: Joi.boolean(), reason: words, createdAt: instant, createdBy: words,
})
const exception = answerOf<ExceptionView>({
  id, target: targetSchema, targetText: words, watch: words, values, leftOut: Joi.boolean(), reason: words, createdAt: instant, createdBy: words,
})

export const templateSummariesSchema = listOf(templateSummary)
export const templatePageSchema = answerOf<TemplatePage>({
  ...summary,
  watches: listOf(watch), assignments: listOf(assignment), exceptions: listOf(exception),
  revisions: listOf(answerOf<TemplateRevision>({ revision: count, savedAt: instant, savedBy: words, note: words })),
})

export const policyGridSchema = answerOf<PolicyGrid>({
  roles: listOf(answerOf<PolicyGrid['roles'][number]>({ id: words, name: words, devices: count })),
  templates: templateSummariesSchema,
  cells: listOf(answerOf<GridCell>({ role: words, templateId: id, devices: count, exceptions: count, assigned: Joi.boolean() })),
})

const chainLink = answerOf<ChainLink>({ value, source: sourceSchema, dormant: Joi.boolean() })

export const rosterSchema = listOf(answerOf<RosterWatch>({
  key: words, kind: words, name: words, why: words, values,
  standing: Joi.string().valid('active', 'dormant', 'left out'),
  chains: Joi.object().pattern(Joi.string(), listOf(chainLink)).description('For each parameter what won, first, and what it beat.'),
  broughtBy: listOf(sourceSchema), leftOutBy: sourceSchema.allow(null), sentence: listOf(sentencePartSchema),
}))

const watchChange = answerOf<WatchChange>({ key: words, name: words, change: Joi.string().valid('added', 'removed', 'altered'), parameters: listOf(words) })

export const impactSchema = answerOf<Impact>({
  devices: count, clients: count, keepOwn: count, added: count, removed: count, altered: count,
  examples: listOf(answerOf<Impact['examples'][number]>({ deviceId: id, deviceName: words, clientId: id, changes: listOf(watchChange) })),
})
