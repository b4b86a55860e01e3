import Joi from 'joi'
import { answerOf, id, listOf, words } from '../answer'

export const viewPlaces = ['estate', 'rounds', 'policy', 'rollout'] as const
export type ViewPlace = (typeof viewPlaces)[number]

/** A way to look at a place, kept under a name. `query`: what stands in the address behind the question mark. */
export interface SavedView {
  id: number
  name: string
  query: string
}
export const savedViewsSchema = listOf(answerOf<SavedView>({ id, name: words, query: words }))

const place = Joi.string()
  .valid(...viewPlaces)
  .required()
export interface SavedViewQuery {
  place: ViewPlace
}
export const savedViewQuerySchema = Joi.object<SavedViewQuery, true>({ place })

export interface NewSavedView extends SavedViewQuery {
  name: string
  query: string
}
export const newSavedViewSchema = Joi.object<NewSavedView, true>({
  place,
  name: Joi.string().trim().min(1).max(60).required(),
  query: Joi.string()
    .allow('')
    .max(1000)
    .pattern(/^[\w.~%*+=&,-]*$/, 'what stands in an address behind the question mark')
    .required(),
})
