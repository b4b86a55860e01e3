import Joi from 'joi'
import { deviceKinds, maxTargetDepth, osFamilies, targetFacts, type Target } from '#core'

const id = Joi.number().integer().min(0).max(2_147_483_647)
const pattern = Joi.string().allow('').max(200)

const conditions = [
  Joi.object({ on: Joi.valid('everyone').required() }),
  Joi.object({
    on: Joi.valid('kind').required(),
    kind: Joi.string()
      .valid(...deviceKinds)
      .required(),
  }),
  Joi.object({
    on: Joi.valid('os').required(),
    osFamily: Joi.string()
      .valid(...osFamilies)
      .required(),
  }),
  Joi.object({ on: Joi.valid('osName').required(), pattern: pattern.required() }),
  Joi.object({ on: Joi.valid('role').required(), role: Joi.string().allow('').max(60).required() }),
  Joi.object({
    on: Joi.valid('fact').required(),
    fact: Joi.string()
      .valid(...targetFacts)
      .required(),
    pattern: pattern.required(),
  }),
  Joi.object({ on: Joi.valid('client').required(), clientId: id.required() }),
  Joi.object({ on: Joi.valid('site').required(), siteId: id.required() }),
  Joi.object({ on: Joi.valid('network').required(), network: Joi.string().allow('').max(60).required() }),
  Joi.object({ on: Joi.valid('tag').required(), tag: Joi.string().allow('').max(60).required() }),
  Joi.object({ on: Joi.valid('name').required(), pattern: pattern.required() }),
  Joi.object({ on: Joi.valid('devices').required(), deviceIds: Joi.array().items(id).max(20_000).required() }),
]

/**
 * Exactly the fields of each class of condition; groups as deep as they may be, and one more, so that what is too deep
 * is said in words.
 */
function nested(depth: number): Joi.AlternativesSchema<Target> {
  if (depth === 0) return Joi.alternatives<Target>().try(...conditions)
  return Joi.alternatives<Target>().try(
    ...conditions,
    Joi.object({
      on: Joi.valid('all', 'any', 'except').required(),
      of: Joi.array()
        .items(nested(depth - 1))
        .max(60)
        .required(),
    }),
  )
}

export const targetSchema = nested(maxTargetDepth + 1)
