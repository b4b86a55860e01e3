import Joi from 'joi'
import {
  alertCauses,
  calloutSteps,
  calloutSubjects,
  outsideHours,
  severities,
  subjects,
  type CalloutRule,
  type CalloutStepKind,
  type Millis,
  type Recipient,
  type SentencePart,
  type Severity,
} from '#core'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { aNumber, hoursSchema } from '../bounds'
import { targetSchema } from '../estate/target'
import { sentencePartSchema } from '../policy/answers'

/** What somebody wants a rule to say; whose it is follows from its target. */
export interface CalloutRuleBody {
  name: string
  rule: Omit<CalloutRule, 'clientId'>
  /** The revision that was looked at; another one in force is not overwritten. */
  basedOn?: number
}

const longest = 90 * 86_400_000
const length = Joi.number().integer().max(longest)
/** More often would be noise; and a clock of half a second decides. */
const aWhile = length.min(60_000)

const recipient = Joi.alternatives<Recipient>().try(
  Joi.object({ to: Joi.valid('leads').required() }),
  Joi.object({ to: Joi.valid('team', 'on-call', 'person', 'webhook').required(), id: aNumber.required() }),
)
const recipients = Joi.array<Recipient[]>().items(recipient).min(1).max(20).required()

const ruleSchema = Joi.object<Omit<CalloutRule, 'clientId'>, true>({
  about: Joi.string()
    .valid(...calloutSubjects)
    .default('alerts'),
  target: targetSchema.required(),
  severities: Joi.array()
    .items(Joi.string().valid(...severities))
    .unique()
    .min(1)
    .required(),
  families: Joi.array()
    .items(Joi.string().valid(...subjects))
    .unique()
    .min(1)
    .allow(null)
    .required(),
  causes: Joi.array()
    .items(Joi.string().valid(...alertCauses))
    .unique()
    .min(1)
    .allow(null)
    .required(),
  hours: hoursSchema.required(),
  outside: Joi.string()
    .valid(...outsideHours)
    .required(),
  tell: recipients,
  after: length.min(0).required(),
  again: aWhile.allow(null).required(),
  escalate: Joi.object({ after: aWhile.required(), tell: recipients }).allow(null).required(),
  remindAfter: aWhile.allow(null).required(),
  sayWell: Joi.boolean().required(),
})
export const calloutRuleBodySchema = Joi.object<CalloutRuleBody, true>({
  name: Joi.string().trim().min(1).max(100).required(),
  rule: ruleSchema.required(),
  basedOn: aNumber,
})
export interface CalloutPause {
  isPaused: boolean
}
export const calloutPauseSchema = Joi.object<CalloutPause, true>({ isPaused: Joi.boolean().required() })

export interface CalloutRuleView {
  id: number
  revision: number
  name: string
  rule: CalloutRule
  sentence: SentencePart[]
  isPaused: boolean
  savedBy: string | null
  savedAt: Millis
  /** Whether the viewer may change it. */
  mayChange: boolean
}
const ruleView = answerOf<CalloutRuleView>({
  id,
  revision: id,
  name: words,
  rule: Joi.object<CalloutRule>().unknown(),
  sentence: listOf(sentencePartSchema),
  isPaused: Joi.boolean(),
  savedBy: words.allow(null),
  savedAt: instant,
  mayChange: Joi.boolean(),
})
export const calloutRulesSchema = listOf(ruleView)

/** What a rule would have sent, had it been in force. */
export interface CalloutRehearsal {
  from: Millis
  until: Millis
  sentence: SentencePart[]
  /** In reach now. */
  devices: number
  /** Alerts of that time that it is about, and of these those that somebody would have been told of. */
  alerts: number
  told: number
  steps: Record<CalloutStepKind, number>
  /** Each recipient with messages after gathering, and of these at night: 22–6 on the clocks of the site. */
  recipients: { name: string; messages: number; atNight: number; mostAnHour: number }[]
  /** The newest of them, and how many are not listed. */
  moments: CalloutMoment[]
  left: number
}
export interface CalloutMoment {
  at: Millis
  step: CalloutStepKind
  severity: Severity
  /** One of both. */
  alertId: number | null
  requestId: number | null
  about: string
  deviceName: string
  clientName: string
  zone: string
  to: string
}
const moment = answerOf<CalloutMoment>({
  at: instant,
  step: Joi.string().valid(...calloutSteps),
  severity: Joi.string().valid(...severities),
  alertId: id.allow(null),
  requestId: id.allow(null),
  about: words,
  deviceName: words,
  clientName: words,
  zone: words,
  to: words,
})
export const calloutRehearsalSchema = answerOf<CalloutRehearsal>({
  from: instant,
  until: instant,
  sentence: listOf(sentencePartSchema),
  devices: count,
  alerts: count,
  told: count,
  steps: answerOf<Record<CalloutStepKind, number>>({
    tell: count,
    worse: count,
    again: count,
    escalate: count,
    untouched: count,
    well: count,
  }),
  recipients: listOf(
    answerOf<CalloutRehearsal['recipients'][number]>({
      name: words,
      messages: count,
      atNight: count,
      mostAnHour: count,
    }),
  ),
  moments: listOf(moment),
  left: count,
})
