import Joi from 'joi'
import type { Millis, UnusualAsked } from '#core'
import { answerOf, count, instant, listOf, words } from '../answer'

/** What is usual at one hour of the week, from Monday 00:00 on the clocks of the site. */
export interface UsualCell {
  cell: number
  middle: number
  /** How far an hour usually lies from it. */
  spread: number
}
/** A watch that judges the series by what is usual. */
export interface UsualWatch {
  key: string
  name: string
  asked: UnusualAsked
  /** Days until it can judge; 0: it can. */
  toGo: number
}
/** What a watch of a sensitivity would have told. */
export interface UsualTried {
  sensitivity: UnusualAsked['sensitivity']
  told: { from: Millis; until: Millis | null }[]
}
export interface UsualPage {
  zone: string
  /** Of what it was learned; null: nothing is known yet. */
  from: Millis | null
  until: Millis | null
  days: number
  /** Days that were unlike their kind, and were left out. */
  oddDays: Millis[]
  /** Since when it is learned anew, by itself or because somebody said so; null: it is not. */
  beganAnew: Millis | null
  /** Who said so, and may take it back; null: nobody. */
  anewBy: string | null
  cells: UsualCell[]
  watches: UsualWatch[]
  /** What would have been told since `triedFrom`; empty: no watch judges this metric so. */
  tried: UsualTried[]
  triedFrom: Millis
  /** How the metric is asked by those: of the first watch, or as a new one has it. */
  asked: UnusualAsked | null
}

const figure = Joi.number()
const asked = answerOf<UnusualAsked>({
  direction: Joi.string().valid('more', 'less', 'either'),
  sensitivity: Joi.string().valid('low', 'medium', 'high'),
  least: figure,
  span: figure,
  training: figure,
})
type Told = UsualTried['told'][number]
export const usualPageSchema = answerOf<UsualPage>({
  zone: words,
  from: instant.allow(null),
  until: instant.allow(null),
  days: count,
  oddDays: listOf(instant),
  beganAnew: instant.allow(null),
  anewBy: words.allow(null),
  cells: listOf(answerOf<UsualCell>({ cell: count, middle: figure, spread: figure })),
  watches: listOf(answerOf<UsualWatch>({ key: words, name: words, asked, toGo: count })),
  tried: listOf(
    answerOf<UsualTried>({
      sensitivity: Joi.string().valid('low', 'medium', 'high'),
      told: listOf(answerOf<Told>({ from: instant, until: instant.allow(null) })),
    }),
  ),
  triedFrom: instant,
  asked: asked.allow(null),
})

/** That a series is to be learned anew from now on, or as before. */
export interface UsualAnew {
  metric: string
  instance: string
  anew: boolean
}
export const usualAnewSchema = Joi.object<UsualAnew, true>({
  metric: Joi.string().max(60).required(),
  instance: Joi.string().max(400).allow('').default(''),
  anew: Joi.boolean()
    .required()
    .description('True: nothing before now counts. False: what was said so before is taken back.'),
})
