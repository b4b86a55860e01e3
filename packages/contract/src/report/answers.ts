import Joi from 'joi'
import { answerOf, count, id, listOf, words } from '../answer'
import type { AgentSettings, Enrolment, Refusal, ReportReceipt, SignedTask, TaskHeard } from './index'

const length = Joi.number().description('Milliseconds.')
export const agentSettingsSchema = answerOf<AgentSettings>({ interval: length, deviceName: words, clientName: words, siteName: words })
const clockOffset = length.description('Device clock minus server clock, in milliseconds.')

export const reportReceiptSchema = answerOf<ReportReceipt>({
  acknowledged: count,
  refused: listOf(answerOf<Refusal>({ seq: Joi.number().allow(null), pointer: words.description('JSON pointer (RFC 6901).'), code: words, detail: words })),
  clockOffset, settings: agentSettingsSchema,
  tasks: listOf(answerOf<SignedTask>({ text: words, signature: words })).optional(),
})
export const taskHeardSchema = answerOf<TaskHeard>({ heard: Joi.boolean() })
export const enrolmentSchema = answerOf<Enrolment>({ deviceId: id, deviceKey: Joi.string().description('Shown this once.'), firstSeq: id, serverKey: words, clockOffset, settings: agentSettingsSchema })
