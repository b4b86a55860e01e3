import { day, type ClientId, type Millis } from '#core'
import { firstRow, type Db } from '../../db'
import { ProblemError } from '../../http/problems'

/**
 * Somebody to whom work for a client can be handed: who may see it, and change things there.
 * @param clientId null: of a client that nobody knows yet
 * @throws ProblemError *invalid*
 */
export async function requireColleague(
  tx: Db,
  id: number | undefined,
  clientId: ClientId | null,
  what: 'alerts' | 'requests' = 'alerts',
): Promise<{ id: number; name: string }> {
  const person = await firstRow<{ id: number; name: string }>(
    tx,
    `select id, name from person
     where id = $1 and access <> 'contact' and deactivated_at is null and (client_ids is null or $2 = any(client_ids))`,
    [id ?? 0, clientId],
  )
  if (!person)
    throw new ProblemError('invalid', `This person may not work on ${what} of this client. Choose somebody else.`, [
      { at: 'personId', message: 'may not work on it' },
    ])
  return person
}

/** No longer than anybody means by “later”. */
const longestLater: Millis = 31 * day

/** @throws ProblemError *invalid* where it is over, or too far away */
export function requireLater(until: Millis | undefined, now: Millis): Millis {
  if (until === undefined || until <= now || until > now + longestLater)
    throw new ProblemError('invalid', 'Choose a time to come, within a month.', [
      { at: 'until', message: 'not within a month' },
    ])
  return until
}
