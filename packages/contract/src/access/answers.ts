import Joi from 'joi'
import { answerOf, id, instant, listOf, words } from '../answer'
import { accessLevels, type PasswordChanged, type Person, type PersonListed, type SignedIn } from './index'

const access = Joi.string().valid(...accessLevels)

export const personSchema = answerOf<Person>({
  id,
  email: words,
  name: words,
  access,
  clientIds: listOf(id).allow(null).description('Null: every client.'),
  lookedAt: instant.description('When the person last walked the round.'),
  isFactorDue: Joi.boolean(),
})
export const peopleSchema = listOf(
  answerOf<PersonListed>({
    id,
    name: words,
    email: words,
    access,
    clientIds: listOf(id).allow(null),
    deactivatedAt: instant.allow(null),
    hasSecondFactor: Joi.boolean().allow(null),
  }),
)
export const signedInSchema = answerOf<SignedIn>({ signedIn: Joi.boolean() })
export const passwordChangedSchema = answerOf<PasswordChanged>({ changed: Joi.boolean() })
