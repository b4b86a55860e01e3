import { heldOutcomes, severities, type CrowdStep } from '#core'
import Joi from 'joi'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { targetSchema } from '../estate/target'
import {
  windowSubjectSchema,
  type DeviceWindows,
  type HeldEnding,
  type Watchline,
  type WatchlineCrowd,
  type WatchlineLane,
  type WatchlineSpan,
  type WatchlineTick,
  type WindowPage,
  type WindowList,
  type WindowView,
} from './index'

const window = {
  id,
  name: words,
  target: targetSchema,
  subject: windowSubjectSchema,
  from: instant,
  until: instant.allow(null),
  endedAt: instant.allow(null),
  reason: words,
  targetText: words,
  clientId: id.allow(null),
  deviceCount: count,
  createdBy: words,
  createdAt: instant,
  endedBy: words.allow(null),
  heldNow: count,
  heldTotal: count,
}

export const windowsSchema = listOf(answerOf<WindowView>(window))
export const windowListSchema = answerOf<WindowList>({
  total: count,
  windows: windowsSchema,
  next: Joi.string().allow(null),
})
export const deviceWindowsSchema = answerOf<DeviceWindows>({ windows: windowsSchema, next: Joi.string().allow(null) })
export const windowPageSchema = answerOf<WindowPage>({
  ...window,
  endings: listOf(
    answerOf<HeldEnding>({
      outcome: Joi.string()
        .valid(...heldOutcomes)
        .allow(null),
      count,
    }),
  ),
})

const spans = listOf(answerOf<WatchlineSpan>({ windowId: id, from: instant, until: instant.allow(null), name: words }))
const lane = answerOf<WatchlineLane>({
  clientId: id,
  clientName: words,
  ticks: listOf(
    answerOf<WatchlineTick>({
      alertId: id,
      at: instant,
      until: instant.allow(null),
      severity: Joi.string().valid(...severities),
      title: words,
      deviceName: words,
    }),
  ),
  spans,
})
const crowd = answerOf<WatchlineCrowd>({
  width: count,
  steps: listOf(answerOf<CrowdStep>({ at: instant, critical: count, warning: count, notice: count })),
  spans,
})
export const watchlineSchema = answerOf<Watchline>({
  now: instant,
  from: instant,
  until: instant,
  clients: count,
  lanes: listOf(lane),
  crowd: crowd.allow(null),
  moreSpans: count,
})
