import Joi from 'joi'
import { answerOf, count, listOf, words } from '../answer'

/** Work that goes on by itself: agents sent out, agents updated, a network swept, devices that follow a change. */
export const workKinds = ['wave', 'update', 'sweep', 'settling'] as const
export type WorkKind = (typeof workKinds)[number]
export interface WorkUnderWay {
  kind: WorkKind
  /** Of the run; 0 for devices that follow a change, which are one work. */
  id: number
  title: string
  /** How far it has come, of how much; for devices that follow a change only what is left is known. */
  done: number
  total: number
  isPaused: boolean
}
export const workUnderWaySchema = listOf(
  answerOf<WorkUnderWay>({
    kind: Joi.string().valid(...workKinds),
    id: count,
    title: words,
    done: count,
    total: count,
    isPaused: Joi.boolean(),
  }),
)
