import Joi, { type AnySchema, type ArraySchema, type ObjectSchema, type StrictSchemaMap } from 'joi'

/** The schema of an object that the server answers with: every field is there, unless it says `.optional()`. */
export function answerOf<T extends object>(fields: StrictSchemaMap<T>): ObjectSchema<T> {
  return Joi.object<T, true>(fields).prefs({ presence: 'required' })
}

export function listOf<T>(item: AnySchema<T>): ArraySchema<T[]> {
  return Joi.array<T[]>().items(item)
}

/** Number of a thing in the database. */
export const id = Joi.number().integer().min(1)
/** Milliseconds since 1970-01-01 UTC. */
export const instant = Joi.number()
export const count = Joi.number().integer().min(0)
export const words = Joi.string().allow('')

/** Something was made or changed; its number. */
export interface Made {
  id: number
}
export const madeSchema = answerOf<Made>({ id })
