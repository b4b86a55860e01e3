import { firstRow, type Db } from '../../db'

/** Whoever writes packed readings is alone with them until its transaction ends. @returns false: somebody else is */
export async function tryPackingLock(tx: Db): Promise<boolean> {
  const found = await firstRow<{ got: boolean }>(
    tx,
    `select pg_try_advisory_xact_lock(hashtext('custode packing')) as got`,
  )
  return found!.got
}

/** The same for who cannot come again: it waits for whoever is at it, some devices at most. */
export async function packingLock(tx: Db): Promise<void> {
  await tx.query(`select pg_advisory_xact_lock(hashtext('custode packing'))`)
}
