import {
  osFamilies,
  type ChainLink,
  type SentencePart,
  type Source,
  type TemplateBody,
  type Values,
  type WatchSpec,
} from '#core'
import Joi from 'joi'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { targetSchema } from '../estate/target'
import type {
  AssignmentView,
  ExceptionView,
  ExportedPolicy,
  GridCell,
  Impact,
  ImpactWatch,
  KeptValue,
  ListedTemplate,
  PolicyChanged,
  PolicyGrid,
  PolicyListing,
  RosterWatch,
  TargetMatches,
  TemplatePage,
  TemplateRevision,
  TemplateSummary,
  TextTrial,
} from './index'

const value = Joi.alternatives().try(Joi.number(), words, Joi.boolean(), Joi.array().items(words)).allow(null)
const values = Joi.object<Values>().pattern(Joi.string(), value).description('Values by parameter name.')

export const sentencePartSchema = Joi.object<SentencePart>({
  text: words.required(),
  parameter: Joi.string().optional(),
})
export const sourceSchema = answerOf<Source>({
  from: Joi.string().valid('default', 'template', 'assignment', 'exception'),
  id: count,
  name: words,
  revision: count.allow(null),
  target: targetSchema.allow(null),
})

const watch = answerOf<WatchSpec>({
  key: words,
  kind: words,
  name: words,
  why: words,
  osFamilies: Joi.array()
    .items(Joi.string().valid(...osFamilies))
    .description('Empty: every OS family.'),
  values,
})
const named = listOf(answerOf<{ id: number; name: string }>({ id, name: words }))
const summary = {
  id,
  name: words,
  description: words,
  revision: count,
  watchCount: count,
  deviceCount: count,
  exceptionCount: count,
  includes: listOf(id),
  savedAt: instant,
  savedBy: words,
}
const templateSummary = answerOf<TemplateSummary>(summary)
const assignment = answerOf<AssignmentView>({
  id,
  revision: count,
  templateId: id,
  templateName: words,
  target: targetSchema,
  watches: Joi.object().pattern(Joi.string(), Joi.object({ name: words, kind: words })),
  targetText: words,
  deviceCount: count,
  rank: count,
  values: Joi.object().pattern(Joi.string(), values),
  dormant: Joi.boolean(),
  reason: words,
  reviewAt: instant.allow(null),
  createdAt: instant,
  createdBy: words,
})
const exception = answerOf<ExceptionView>({
  id,
  revision: count,
  target: targetSchema,
  targetText: words,
  watch: words,
  watchName: words,
  kind: words,
  deviceCount: count,
  doubts: listOf(Joi.string().valid('date passed', 'changes nothing', 'reaches nothing')),
  templates: named,
  values,
  leftOut: Joi.boolean(),
  reason: words,
  ownerId: id.allow(null),
  ownerName: words,
  reviewAt: instant.allow(null),
  createdAt: instant,
  createdBy: words,
})

export const templateSummariesSchema = listOf(templateSummary)
export const templatePageSchema = answerOf<TemplatePage>({
  ...summary,
  watches: listOf(watch),
  assignments: listOf(assignment),
  exceptions: listOf(exception),
  includedBy: named,
  revisions: listOf(
    answerOf<TemplateRevision>({
      revision: count,
      savedAt: instant,
      savedBy: words,
      note: words,
      changes: listOf(words),
      body: answerOf<TemplateBody>({ name: words, description: words, includes: listOf(id), watches: listOf(watch) }),
    }),
  ),
})
export const policyListingSchema = answerOf<PolicyListing>({
  templates: listOf(
    answerOf<ListedTemplate>({ ...summary, kinds: listOf(words), roles: listOf(words), owner: words, text: words }),
  ),
  assignments: listOf(assignment),
  exceptions: listOf(exception),
})

export const policyGridSchema = answerOf<PolicyGrid>({
  roles: listOf(answerOf<PolicyGrid['roles'][number]>({ id: words, name: words, devices: count })),
  templates: templateSummariesSchema,
  cells: listOf(
    answerOf<GridCell>({ role: words, templateId: id, devices: count, exceptions: count, assigned: Joi.boolean() }),
  ),
})

const chainLink = answerOf<ChainLink>({ value, source: sourceSchema, dormant: Joi.boolean() })

export const rosterSchema = listOf(
  answerOf<RosterWatch>({
    key: words,
    kind: words,
    name: words,
    why: words,
    values,
    standing: Joi.string().valid('active', 'dormant', 'left out'),
    chains: Joi.object()
      .pattern(Joi.string(), listOf(chainLink))
      .description('For each parameter what won, first, and what it beat.'),
    broughtBy: listOf(sourceSchema),
    leftOutBy: sourceSchema.allow(null),
    sentence: listOf(sentencePartSchema),
  }),
)

const impactWatch = answerOf<ImpactWatch>({
  key: words,
  name: words,
  change: Joi.string().valid('added', 'removed', 'altered'),
  parameters: listOf(words),
  moves: listOf(words),
  devices: count,
  before: listOf(sentencePartSchema).allow(null),
  after: listOf(sentencePartSchema).allow(null),
})

export const impactSchema = answerOf<Impact>({
  devices: count,
  clients: count,
  keepOwn: count,
  added: count,
  removed: count,
  altered: count,
  watches: listOf(impactWatch),
  examples: listOf(
    answerOf<Impact['examples'][number]>({
      deviceId: id,
      deviceName: words,
      clientId: id,
      clientName: words,
      watches: listOf(count),
    }),
  ),
  cost: answerOf<Impact['cost']>({
    readings: Joi.array<[number, number]>().ordered(Joi.number(), Joi.number()),
    events: Joi.number().allow(null),
    logs: listOf(words),
    entries: Joi.array<[number, number | null]>().ordered(Joi.number(), Joi.number().allow(null)).allow(null),
  }),
})

export const policyChangedSchema = answerOf<PolicyChanged>({ ids: listOf(count) })
export const targetMatchesSchema = answerOf<TargetMatches>({
  sentence: words,
  faults: listOf(answerOf<TargetMatches['faults'][number]>({ at: listOf(count), message: words })),
  devices: count,
  clients: count,
  sample: listOf(
    answerOf<TargetMatches['sample'][number]>({ deviceId: id, deviceName: words, clientName: words, siteName: words }),
  ),
})
export const keptValueSchema = answerOf<KeptValue>({ devices: count })
export const exportedPolicySchema = answerOf<ExportedPolicy>({ text: words })
export const textTrialSchema = answerOf<TextTrial>({
  faults: listOf(answerOf<TextTrial['faults'][number]>({ at: words, message: words, line: count })),
  steps: listOf(
    answerOf<TextTrial['steps'][number]>({
      of: Joi.string().valid('template', 'assignment', 'exception'),
      change: Joi.string().valid('made', 'changed', 'removed'),
      name: words,
      words: listOf(words),
    }),
  ),
  impact: impactSchema.allow(null),
})
