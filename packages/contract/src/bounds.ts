import Joi from 'joi'
import { readHours } from '#core'

/** Number of a thing in the database, whose counters are int4 (PostgreSQL, "Numeric Types"). */
export const aNumber = Joi.number().integer().min(1).max(2_147_483_647)
/** Milliseconds since 1970-01-01 UTC, to the end of the year 9999: both JavaScript and PostgreSQL go further. */
export const aTime = Joi.number().integer().min(0).max(253_402_300_799_999)

/** A part of a list by number, the newest first: those before the last one of the part before. */
export interface BeforeQuery {
  before?: number
  limit: number
}
/** Where a part of a list began: a time and a number, of the last one of the part before. */
export const afterTime = Joi.string().pattern(/^\d{1,14} \d{1,9}$/)

export const beforeQuerySchema = Joi.object<BeforeQuery, true>({
  before: aNumber,
  limit: Joi.number().integer().min(1).max(500).default(100),
})

/** Hours of the week; empty: always. */
export const hoursSchema = Joi.string()
  .allow('')
  .max(100)
  .custom((text: string, helpers) => (text === '' || readHours(text) ? text : helpers.error('hours.unread')))
  .messages({ 'hours.unread': 'Write hours like Mon–Fri 08:00–20:00, or leave them empty for always.' })
