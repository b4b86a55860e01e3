import { deviceKinds, osFamilies, type NewcomerCondition } from '#core'
import Joi from 'joi'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import {
  refusalCodes,
  type Decided,
  type EnrolledDevice,
  type EnrolmentAttempt,
  type EnrolmentKeyPage,
  type EnrolmentKeyView,
  type MadeEnrolmentKey,
  type Notice,
  type Revoked,
  type RoleFinding,
  type RoleFindingGroup,
  type RoleFindingPage,
  type Seen,
  type StandingRulePreview,
  type StandingRuleView,
} from './index'

const kind = Joi.string().valid(...deviceKinds)
const length = Joi.number().description('Milliseconds.')
const key = {
  id,
  siteId: id.allow(null),
  siteName: words.allow(null),
  clientId: id.allow(null),
  clientName: words.allow(null),
  label: words,
  uses: count,
  usesLeft: count,
  expiresAt: instant,
  state: Joi.string().valid('good', 'used up', 'expired', 'revoked'),
  kind,
  roles: listOf(words),
  tags: listOf(words),
  createdAt: instant,
  createdBy: words,
}
const enrolled = answerOf<EnrolledDevice>({
  id,
  name: words,
  clientName: words,
  siteName: words,
  heardAt: instant.allow(null),
  startsAtBoot: Joi.boolean().allow(null),
  watches: count,
})
const attempt = answerOf<EnrolmentAttempt>({
  id,
  at: instant,
  name: words,
  osName: words,
  address: words,
  clockOffset: length,
  outcome: Joi.string().valid('enrolled', 'refused'),
  code: Joi.string().valid('', ...refusalCodes),
  reason: words,
  device: enrolled.allow(null),
})

export const enrolmentKeysSchema = listOf(answerOf<EnrolmentKeyView>(key))
export const enrolmentKeyPageSchema = answerOf<EnrolmentKeyPage>({ ...key, attempts: listOf(attempt) })
export const enrolmentAttemptsSchema = listOf(attempt)
export const madeEnrolmentKeySchema = answerOf<MadeEnrolmentKey>({
  id,
  key: Joi.string().description('Shown this once.'),
  server: words,
  hasOwnCa: Joi.boolean(),
})
export const revokedSchema = answerOf<Revoked>({ revoked: Joi.boolean() })

const condition = answerOf<NewcomerCondition>({
  clientId: id.allow(null),
  siteId: id.allow(null),
  kind: kind.allow(null),
  osFamily: Joi.string()
    .valid(...osFamilies)
    .allow(null),
  namePattern: words.allow(null),
  network: words.allow(null),
})
export const standingRulesSchema = listOf(
  answerOf<StandingRuleView>({
    id,
    name: words,
    when: condition,
    roles: listOf(words),
    tags: listOf(words),
    takeDetected: Joi.boolean(),
    notify: listOf(id),
    createdAt: instant,
    createdBy: words,
  }),
)
export const standingRulePreviewSchema = answerOf<StandingRulePreview>({
  matching: count,
  gaining: count,
  devices: listOf(
    answerOf<StandingRulePreview['devices'][number]>({
      id,
      name: words,
      clientName: words,
      siteName: words,
      roles: listOf(words),
      tags: listOf(words),
    }),
  ),
})

const findingGroup = answerOf<RoleFindingGroup>({
  role: words,
  total: count,
  findings: listOf(
    answerOf<RoleFinding>({
      deviceId: id,
      deviceName: words,
      clientId: id,
      clientName: words,
      siteName: words,
      role: words,
      evidence: listOf(words),
      foundAt: instant,
      decision: Joi.string().valid('accepted', 'pinned', 'declined').allow(null),
    }),
  ),
})
export const roleFindingPageSchema = answerOf<RoleFindingPage>({
  total: count,
  suggested: listOf(findingGroup),
  gone: listOf(findingGroup),
})
export const decidedSchema = answerOf<Decided>({ decided: count })
export const noticesSchema = listOf(answerOf<Notice>({ id, at: instant, text: words, deviceId: id.allow(null) }))
export const seenSchema = answerOf<Seen>({ seen: Joi.boolean() })
