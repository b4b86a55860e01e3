import {
  alertEvents,
  closeReasons,
  collectors,
  heldOutcomes,
  remediationOutcomes,
  serviceVerbs,
  severities,
  type AlertEventDetail,
  type Evidence,
  type LevelLine,
  type MetricName,
  type WhyStep,
  type ServiceAction,
} from '#core'
import Joi from 'joi'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { sentencePartSchema, sourceSchema } from '../policy/answers'
import { timelineKinds } from './index'
import type {
  AlertActed,
  AlertCompanion,
  AlertEntry,
  AlertPage,
  AlertRule,
  AlertTimeline,
  AlertView,
  HeldView,
  Looked,
  RemediationView,
  AttemptView,
  TimelineItem,
  WhyPage,
  Carrier,
} from './index'

const severity = Joi.string().valid(...severities)
const evidence = answerOf<Evidence>({ text: words, subject: words.optional(), value: Joi.number().optional() })
const rule = answerOf<AlertRule>({
  name: words,
  kind: words,
  sentence: listOf(sentencePartSchema),
  sources: listOf(sourceSchema),
  lines: listOf(
    answerOf<LevelLine>({ severity, value: Joi.number(), shareOf: Joi.string<MetricName>().optional() }),
  ).optional(),
})

/** Which post it is about, in the words of a technician. */
const post = {
  deviceId: id,
  deviceName: words,
  clientId: id,
  clientName: words,
  siteName: words,
  watch: words,
  instance: words,
  severity,
  began: instant,
  evidence: evidence.allow(null),
  rule,
  silent: Joi.boolean(),
  readAt: instant.allow(null),
  failing: listOf(Joi.string().valid(...collectors)),
}
const alert = {
  ...post,
  id,
  siteId: id,
  zone: words,
  status: Joi.string().valid('open', 'taken', 'closed'),
  raisedAt: instant,
  closedAt: instant.allow(null),
  closeReason: Joi.string()
    .valid(...closeReasons)
    .allow(null),
  takenBy: words.allow(null),
  takenById: id.allow(null),
  takenAt: instant.allow(null),
  offeredTo: words.allow(null),
  offeredToId: id.allow(null),
  offeredBy: words.allow(null),
  offeredWord: words,
  hiddenUntil: instant.allow(null),
  windowId: id.allow(null),
  windowName: words.allow(null),
  deviceId: id.allow(null),
  carrier: answerOf<Carrier>({ id, kind: Joi.string().valid('silence', 'upstream', 'site'), name: words }).allow(null),
  members: count,
  flips: listOf(instant),
  wellSince: instant.allow(null),
  followUpAt: instant.allow(null),
  followUpWord: words,
  closedBy: words.allow(null),
  closedWord: words,
  helpedBy: words.allow(null),
  notes: count,
}
const held = answerOf<HeldView>({
  ...post,
  id,
  windowId: id,
  windowName: words,
  windowEnd: instant.allow(null),
  heldAt: instant,
  endedAt: instant.allow(null),
  outcome: Joi.string()
    .valid(...heldOutcomes)
    .allow(null),
  alertId: id.allow(null),
})

const action = { verb: Joi.string().valid(...serviceVerbs), service: words }
const remediation = answerOf<RemediationView>({
  ...post,
  id,
  startedAt: instant,
  endedAt: instant.allow(null),
  outcome: Joi.string()
    .valid(...remediationOutcomes)
    .allow(null),
  alertId: id.allow(null),
  attempts: listOf(
    answerOf<AttemptView>({
      ...action,
      at: instant,
      state: Joi.string().valid('asked', 'done', 'failed'),
      endedAt: instant.allow(null),
      text: words,
    }),
  ),
})
export const remediationViewSchema = remediation
export const remediationListSchema = listOf(remediation)

export const alertViewSchema = answerOf<AlertView>(alert)
export const alertListSchema = listOf(alertViewSchema)
export const heldViewSchema = held
export const heldListSchema = listOf(held)
export const alertPageSchema = answerOf<AlertPage>({
  ...alert,
  entries: listOf(
    answerOf<AlertEntry>({
      at: instant,
      event: Joi.string().valid(...alertEvents),
      detail: answerOf<AlertEventDetail>({
        from: severity.optional(),
        to: severity.optional(),
        reason: Joi.string()
          .valid(...closeReasons)
          .optional(),
        verb: action.verb.optional(),
        service: words.optional(),
        succeeded: Joi.boolean().optional(),
        isFlip: Joi.boolean().optional(),
        person: words.optional(),
        personId: count.optional(),
        until: instant.optional(),
      }),
      by: words.allow(null),
      text: words,
    }),
  ),
  actions: listOf(answerOf<ServiceAction>(action)),
})
export const alertCompanionsSchema = listOf(
  answerOf<AlertCompanion>({
    alertId: id,
    deviceId: id,
    deviceName: words,
    about: words,
    severity,
    together: count,
    of: count,
    later: Joi.number().description('Milliseconds.'),
  }),
)
export const alertTimelineSchema = answerOf<AlertTimeline>({
  from: instant,
  until: instant,
  items: listOf(
    answerOf<TimelineItem>({
      at: instant,
      kind: Joi.string().valid(...timelineKinds),
      text: words,
      by: words,
      severity: severity.allow(null),
      id: id.allow(null),
      deviceName: words,
    }),
  ),
  left: count,
})
export const whyPageSchema = answerOf<WhyPage>({
  at: instant,
  deviceName: words,
  zone: words,
  steps: listOf(
    answerOf<WhyStep>({
      code: words,
      result: Joi.string().valid('passed', 'stopped', 'noted'),
      at: instant.allow(null),
      until: instant.allow(null),
      length: Joi.number().allow(null),
      text: words,
      severity: severity.allow(null),
      id: id.allow(null),
      sources: listOf(sourceSchema),
      collector: Joi.string()
        .valid(...collectors)
        .allow(null),
    }),
  ),
  knownSince: instant.allow(null),
  watches: listOf(answerOf<WhyPage['watches'][number]>({ key: words, name: words, instances: listOf(words) })),
})
export const lookedSchema = answerOf<Looked>({ looked: Joi.boolean(), before: instant })
export const alertsActedSchema = listOf(answerOf<AlertActed>({ id, problem: words.allow(null) }))
