import type { AccessLevel, GroupRule } from '#contract'
import type { ClientId, Millis } from '#core'
import { firstRow, type Db } from '../../db'
import { ProblemError } from '../../http/problems'
import { announce } from '../../live/announce'
import { audit } from './audit'
import { noPassword } from './noPassword'

/** Who came back from the provider, as it vouches for them. */
export interface Vouched {
  issuer: string
  subject: string
  email: string | null
  /** The provider says so; where it says nothing, nobody who was here before is known by it. */
  isVerified: boolean
  name: string
  groups: string[]
}

/** The rights of whoever has these groups: those of the first rule that fits; null: none does. */
export function rightsOf(rules: readonly GroupRule[], groups: readonly string[]): Omit<GroupRule, 'group'> | null {
  const rule = rules.find(({ group }) => groups.includes(group))
  return rule ? { access: rule.access, clientIds: rule.clientIds } : null
}

interface Known {
  id: number
  access: AccessLevel
  client_ids: ClientId[] | null
  is_of_provider: boolean
  deactivated_at: Millis | null
}

/**
 * The person whom the provider vouches for. Somebody who was here before by the same address keeps their rights; who
 * came by the provider has those of their groups as they are now.
 * @throws ProblemError provider-refused
 */
export async function personOf(tx: Db, vouched: Vouched, rules: readonly GroupRule[]): Promise<number> {
  const rights = rightsOf(rules, vouched.groups)
  // One after the other: two first sign-ins of one person must not make two.
  await tx.query('select pg_advisory_xact_lock(43)')
  const known = await firstRow<Known>(
    tx,
    `select id, access, client_ids, is_of_provider, deactivated_at from person
     where provider_issuer = $1 and provider_subject = $2
       or provider_subject is null and $4 and lower(email) = lower($3)
     order by provider_subject is null limit 1 for update`,
    [vouched.issuer, vouched.subject, vouched.email, vouched.isVerified],
  )
  if (known?.deactivated_at != null)
    throw new ProblemError('provider-refused', 'Your account here is deactivated. Ask a lead.')
  if (known && !known.is_of_provider) {
    await tx.query('update person set provider_issuer = $2, provider_subject = $3 where id = $1', [
      known.id,
      vouched.issuer,
      vouched.subject,
    ])
    return known.id
  }
  if (!rights)
    throw new ProblemError(
      'provider-refused',
      'None of your groups may do anything here. Ask a lead which one is meant to.',
    )
  if (rights.access === 'contact' && rights.clientIds === null)
    throw new ProblemError(
      'provider-refused',
      'Your group is to see a client’s estate, and nobody has said whose. Ask a lead.',
    )
  if (known) {
    const isSame =
      known.access === rights.access && JSON.stringify(known.client_ids) === JSON.stringify(rights.clientIds)
    await tx.query('update person set name = $2, access = $3, client_ids = $4 where id = $1', [
      known.id,
      vouched.name,
      rights.access,
      rights.clientIds,
    ])
    if (!isSame) {
      // What they were signed in with had other rights.
      await tx.query('delete from session where person_id = $1', [known.id])
      await audit(tx, { personId: null, action: 'changed by its groups', kind: 'person', id: known.id, detail: rights })
      announce(tx, { topic: 'people', clientIds: null, deviceIds: [] })
    }
    return known.id
  }
  if (vouched.email === null)
    throw new ProblemError(
      'provider-refused',
      'The identity provider tells no e-mail address of yours that it has verified.',
    )
  const made = await firstRow<{ id: number }>(
    tx,
    `insert into person (email, name, password_hash, access, client_ids, provider_issuer, provider_subject, is_of_provider)
     values ($1, $2, $3, $4, $5, $6, $7, true) on conflict (lower(email)) do nothing returning id`,
    [vouched.email, vouched.name, noPassword, rights.access, rights.clientIds, vouched.issuer, vouched.subject],
  )
  if (!made)
    throw new ProblemError(
      'provider-refused',
      'Somebody else of the identity provider has your e-mail address here. Ask a lead.',
    )
  await audit(tx, {
    personId: made.id,
    action: 'came by the identity provider',
    kind: 'person',
    id: made.id,
    detail: rights,
  })
  announce(tx, { topic: 'people', clientIds: null, deviceIds: [] })
  return made.id
}
