import Joi from 'joi'
import {
  logLevels,
  optionalCollectors,
  pacedCollectors,
  type CounterAsk,
  type FileAsk,
  type LogFilter,
  type LogFloor,
  type LogKeeping,
  type ProbeAsk,
  type ProcessChoice,
} from '#core'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import type {
  AgentSelf,
  AgentSettings,
  ChangeAnswer,
  CollectSettings,
  Enrolment,
  ProbeReceipt,
  Refusal,
  RefusedBrief,
  ReportReceipt,
  SignedProgram,
  SignedText,
  TaskReceipt,
  WantedCollector,
} from './index'

const length = Joi.number().description('Milliseconds.')
const probeAsk = answerOf<ProbeAsk>({
  id: count,
  host: words,
  check: Joi.alternatives().try(Joi.object().unknown()),
  pace: answerOf<ProbeAsk['pace']>({
    every: length,
    recheck: length,
    confirm: count,
    clears: count,
    timeout: length,
    slow: length.allow(null),
  }),
  bounds: answerOf<ProbeAsk['bounds']>({
    networks: Joi.array<readonly string[]>().items(words) as never,
    names: Joi.array().items(words) as never,
  }),
})
const collect = answerOf<CollectSettings>({
  logs: listOf(words),
  collectors: listOf(answerOf<WantedCollector>({ name: Joi.string().valid(...optionalCollectors), digest: words })),
  shares: Joi.boolean().valid(true).optional(),
  keep: answerOf<LogKeeping>({
    floors: listOf(answerOf<LogFloor>({ channel: words, level: Joi.string().valid(...logLevels, 'none') })),
    watched: listOf(
      answerOf<LogFilter>({
        channel: words,
        source: words,
        id: count.allow(null),
        level: Joi.string().valid('', ...logLevels),
        text: words,
      }),
    ),
  }).optional(),
  processes: listOf(answerOf<ProcessChoice>({ name: words, path: words, arguments: words, user: words })).optional(),
  probes: listOf(probeAsk).optional(),
  files: listOf(answerOf<FileAsk>({ path: words, words, digest: Joi.boolean().valid(true).optional() })).optional(),
  counters: listOf(
    answerOf<CounterAsk>({
      name: words,
      from: words,
      say: words,
      old: length.allow(null),
      counters: listOf(words) as never,
    }),
  ).optional(),
})
const settings = {
  interval: length,
  deviceName: words,
  clientName: words,
  siteName: words,
  collect,
  every: Joi.object<AgentSettings['every']>().pattern(Joi.string().valid(...pacedCollectors), length),
  roster: words,
}
const agentSettingsSchema = answerOf<AgentSettings>(settings)
export const agentSelfSchema = answerOf<AgentSelf>({
  ...settings,
  lastSeq: count,
  refusedCount: count,
  refused: listOf(answerOf<RefusedBrief>({ at: instant, detail: words })),
})
export const changeAnswerSchema = answerOf<ChangeAnswer>({ settings: agentSettingsSchema, work: Joi.boolean() })
const clockOffset = length.description('Device clock minus server clock, in milliseconds.')

export const signedSchema = answerOf<SignedText>({ text: words, signature: words })
export const signedProgramSchema = answerOf<SignedProgram>({ source: words, signed: signedSchema })
export const releaseKeysSchema = listOf(signedSchema)
export const reportReceiptSchema = answerOf<ReportReceipt>({
  acknowledged: count,
  refused: listOf(
    answerOf<Refusal>({
      seq: Joi.number().allow(null),
      pointer: words.description('JSON pointer (RFC 6901).'),
      code: words,
      detail: words,
    }),
  ),
  clockOffset,
  settings: agentSettingsSchema,
  tasks: listOf(signedSchema).optional(),
})
export const probeReceiptSchema = answerOf<ProbeReceipt>({
  kept: count,
  refused: listOf(answerOf<Refusal>({ seq: Joi.number().allow(null), pointer: words, code: words, detail: words })),
})
export const taskReceiptSchema = answerOf<TaskReceipt>({ heard: Joi.boolean() })
export const enrolmentSchema = answerOf<Enrolment>({
  deviceId: id,
  deviceKey: Joi.string().description('Shown this once.'),
  firstSeq: id,
  serverKey: words,
  clockOffset,
  settings: agentSettingsSchema,
})
