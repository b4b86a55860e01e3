import type { ClientId } from '#core'
import { firstRow, type Db } from '../db'
import { ProblemError } from '../http/problems'

/**
 * Nothing begins at a client that is out of use. The row is held until the end of the transaction: who takes it out of
 * use waits.
 * @throws ProblemError client-out-of-use
 */
export async function requireInUse(tx: Db, clientId: ClientId): Promise<void> {
  const client = await firstRow<{ retired: boolean }>(
    tx,
    'select retired_at is not null as retired from client where id = $1 for share',
    [clientId],
  )
  if (client?.retired) throw new ProblemError('client-out-of-use')
}
