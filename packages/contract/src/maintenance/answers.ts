import {
  heldOutcomes,
  severities,
  subjects,
  type ClockEffect,
  type CrowdStep,
  type Millis,
  type Occurrence,
} from '#core'
import Joi from 'joi'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { targetSchema } from '../estate/target'
import {
  calendarKinds,
  windowAdvice,
  windowSubjectSchema,
  type CalendarEntry,
  type CalendarImported,
  type DeviceWindows,
  type FeedView,
  type MadeFeed,
  type FamilyPosts,
  type FreeTimes,
  type HeldEnding,
  type Lane,
  type LaneSpan,
  type Lanes,
  type OccurrenceView,
  type OverlapView,
  type PostView,
  type UncoveredAlert,
  type UncoveredList,
  type WatchPosts,
  type Watchline,
  type WatchlineCrowd,
  type WatchlineLane,
  type WatchlineSpan,
  type WatchlineTick,
  type WindowPage,
  type WindowList,
  type WindowPosts,
  type WindowPreview,
  type WindowRevision,
  type WindowView,
} from './index'

const window = {
  id,
  occurrence: id,
  revision: count,
  start: instant,
  name: words,
  target: targetSchema,
  subject: windowSubjectSchema,
  from: instant,
  until: instant.allow(null),
  endedAt: instant.allow(null),
  reason: words,
  ticket: words,
  ownerId: id.allow(null),
  owner: words.allow(null),
  targetText: words,
  clientId: id.allow(null),
  deviceCount: count,
  zone: words,
  starts: words,
  length: count.allow(null),
  rule: words.allow(null),
  next: instant.allow(null),
  reviewAt: instant.allow(null),
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

const span = { start: instant, from: instant, until: instant.allow(null) }
const occurrences = listOf(
  answerOf<OccurrenceView>({
    ...span,
    id,
    endedAt: instant.allow(null),
    endedBy: words.allow(null),
    begun: Joi.boolean(),
    held: count,
    raised: count,
    overrun: count,
    uncovered: count,
  }),
)
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
  coming: occurrences,
  past: occurrences,
  pastCount: count,
  skipped: listOf(instant),
  revisions: listOf(
    answerOf<WindowRevision>({
      revision: count,
      savedBy: words,
      savedAt: instant,
      why: words,
      name: words,
      rule: words.allow(null),
      starts: words,
      zone: words,
      length: count.allow(null),
      endedAt: instant.allow(null),
    }),
  ),
  advice: listOf(Joi.string().valid(...windowAdvice)),
  continues: answerOf<{ id: number; name: string }>({ id, name: words }).allow(null),
})
const family = Joi.string().valid(...subjects)
export const uncoveredSchema = answerOf<UncoveredList>({
  total: count,
  alerts: listOf(
    answerOf<UncoveredAlert>({
      alertId: id,
      deviceId: id,
      deviceName: words,
      watch: words,
      instance: words,
      family,
      severity: Joi.string().valid(...severities),
      raisedAt: instant,
      text: words,
    }),
  ),
})
export const windowPreviewSchema = answerOf<WindowPreview>({
  devices: count,
  clients: count,
  zone: words,
  zones: listOf(words),
  next: listOf(answerOf<Occurrence>(span)),
  clock: listOf(
    answerOf<ClockEffect>({
      occurrence: answerOf<Occurrence>(span),
      effect: Joi.string().valid('skipped', 'twice', 'forward', 'back'),
      by: count,
    }),
  ),
  overlaps: listOf(
    answerOf<OverlapView>({ id, name: words, from: instant, until: instant.allow(null), devices: count }),
  ),
  moreOverlaps: count,
  failing: count,
  open: count,
})
export const windowPostsAnswerSchema = answerOf<WindowPosts>({
  families: listOf(answerOf<FamilyPosts>({ family, posts: count })),
  watches: listOf(answerOf<WatchPosts>({ watch: words, watchName: words, posts: count })),
  total: count,
  posts: listOf(
    answerOf<PostView>({
      deviceId: id,
      deviceName: words,
      clientName: words,
      watch: words,
      watchName: words,
      instance: words,
      family,
    }),
  ),
  next: id.allow(null),
})
const laneSpans = listOf(
  answerOf<LaneSpan>({
    windowId: id,
    occurrence: id,
    start: instant,
    name: words,
    from: instant,
    until: instant.allow(null),
    repeats: Joi.boolean(),
    revision: count,
    movable: Joi.boolean(),
  }),
)
export const lanesSchema = answerOf<Lanes>({
  now: instant,
  more: count,
  shared: laneSpans,
  lanes: listOf(answerOf<Lane>({ clientId: id, siteId: id.allow(null), name: words, zone: words, spans: laneSpans })),
})

export const calendarEntriesSchema = listOf(
  answerOf<CalendarEntry>({
    uid: words,
    name: words,
    kind: Joi.string().valid(...calendarKinds),
    windowId: id.allow(null),
    zone: words,
    rule: words.allow(null),
    length: count.allow(null),
    next: instant.allow(null),
    skipped: count,
    moved: count,
    targetText: words,
    fault: words.allow(null),
  }),
)
export const calendarImportedSchema = listOf(
  answerOf<CalendarImported>({ uid: words, id: id.allow(null), problem: words.allow(null) }),
)
export const feedsSchema = listOf(
  answerOf<FeedView>({
    id,
    clientId: id.allow(null),
    clientName: words.allow(null),
    teamName: words.allow(null),
    label: words,
    person: words,
    createdAt: instant,
    readAt: instant.allow(null),
  }),
)
export const madeFeedSchema = answerOf<MadeFeed>({ id, path: words })

export const freeTimesSchema = answerOf<FreeTimes>({
  zone: words,
  spans: listOf(answerOf<{ from: Millis; until: Millis }>({ from: instant, until: instant })),
})

const spans = listOf(
  answerOf<WatchlineSpan>({ windowId: id, occurrence: id, from: instant, until: instant.allow(null), name: words }),
)
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
