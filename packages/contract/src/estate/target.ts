import Joi from 'joi'
import { deviceKinds, osFamilies, type Target } from '#core'

const id = Joi.number().integer().min(1).max(2_147_483_647)

/** Exactly the fields of each class of target. */
export const targetSchema = Joi.alternatives<Target>().try(
  Joi.object({ on: Joi.valid('everyone').required() }),
  Joi.object({ on: Joi.valid('kind').required(), kind: Joi.string().valid(...deviceKinds).required() }),
  Joi.object({ on: Joi.valid('os').required(), osFamily: Joi.string().valid(...osFamilies).required() }),
  Joi.object({ on: Joi.valid('role').required(), role: Joi.string().max(60).required() }),
  Joi.object({ on: Joi.valid('client').required(), clientId: id.required() }),
  Joi.object({ on: Joi.valid('site').required(), siteId: id.required() }),
  Joi.object({ on: Joi.valid('tag').required(), tag: Joi.string().max(60).required() }),
  Joi.object({ on: Joi.valid('devices').required(), deviceIds: Joi.array().items(id).min(1).max(5000).required() }),
)
