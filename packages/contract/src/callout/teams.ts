import Joi from 'joi'
import type { Millis } from '#core'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { aNumber, aTime, hoursSchema } from '../bounds'

export interface TeamBody {
  name: string
  memberIds: number[]
}
export const teamBodySchema = Joi.object<TeamBody, true>({
  name: Joi.string().trim().min(1).max(60).required(),
  memberIds: Joi.array().items(aNumber).unique().max(500).required(),
})

/** When turns begin and change, and whose they are, in their order. */
export interface RotationBody {
  starts: string
  zone: string
  rule: string
  turns: number[]
}
export const rotationBodySchema = Joi.object<RotationBody, true>({
  starts: Joi.string()
    .pattern(/^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d$/)
    .required(),
  zone: Joi.string().max(60).required(),
  rule: Joi.string().max(200).required(),
  turns: Joi.array().items(aNumber).min(1).max(100).required(),
})
export interface SwapBody {
  personId: number
  from: Millis
  until: Millis
}
export const swapBodySchema = Joi.object<SwapBody, true>({
  personId: aNumber.required(),
  from: aTime.required(),
  until: aTime.required(),
})

export interface TurnView {
  from: Millis
  until: Millis
  personId: number
  name: string
  insteadOf: string | null
}
export interface TeamView {
  id: number
  name: string
  members: { id: number; name: string; awayUntil: Millis | null }[]
  rotation: RotationBody | null
  /** Who is on call now; null: nobody in particular. */
  onCall: string | null
  swaps: { id: number; name: string; from: Millis; until: Millis }[]
  /** Of the next four weeks. */
  turns: TurnView[]
}
const rotation = answerOf<RotationBody>({ starts: words, zone: words, rule: words, turns: listOf(id) })
export const teamsSchema = listOf(
  answerOf<TeamView>({
    id,
    name: words,
    members: listOf(answerOf<TeamView['members'][number]>({ id, name: words, awayUntil: instant.allow(null) })),
    rotation: rotation.allow(null),
    onCall: words.allow(null),
    swaps: listOf(answerOf<TeamView['swaps'][number]>({ id, name: words, from: instant, until: instant })),
    turns: listOf(
      answerOf<TurnView>({
        from: instant,
        until: instant,
        personId: id,
        name: words,
        insteadOf: words.allow(null),
      }),
    ),
  }),
)

/** Where and when one can be reached oneself. */
export interface Reach {
  /** null: at the address that one signs in with. */
  mailTo: string | null
  hours: string
  zone: string | null
  awayUntil: Millis | null
  /** When a summary is sent each day, in minutes after midnight on the clocks of the zone; null: none. */
  digestAt: number | null
}
export const reachBodySchema = Joi.object<Reach, true>({
  mailTo: Joi.string().email({ tlds: false }).max(200).allow(null).required(),
  hours: hoursSchema.required(),
  zone: Joi.string().max(60).allow(null).required(),
  awayUntil: aTime.allow(null).required(),
  digestAt: Joi.number().integer().min(0).max(1439).allow(null).default(null),
})
export const reachSchema = answerOf<Reach>({
  mailTo: words.allow(null),
  hours: words,
  zone: words.allow(null),
  awayUntil: instant.allow(null),
  digestAt: count.allow(null),
})
