import Joi from 'joi'

/** Number of a thing in the database, whose counters are int4 (PostgreSQL, "Numeric Types"). */
export const aNumber = Joi.number().integer().min(1).max(2_147_483_647)
/** Milliseconds since 1970-01-01 UTC, to the end of the year 9999: both JavaScript and PostgreSQL go further. */
export const aTime = Joi.number().integer().min(0).max(253_402_300_799_999)
