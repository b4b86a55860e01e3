import { keysAcceptedSchema, keysToAcceptSchema, type KeysToAccept, type MachineKey } from '#contract'
import { hostKeyState } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../../db'
import { ProblemError } from '../../../http/problems'
import { route } from '../../../http/route'
import { announce } from '../../../live'
import { audit, requireClient } from '../../access'

type Key = KeysToAccept['keys'][number]

/** What pages read of a machine's key; both null where it was never met. */
export interface KeyColumns {
  seen: string | null
  accepted: string | null
}

/** A row with its key as pages tell it. */
export function withKey<T extends KeyColumns>({
  seen,
  accepted,
  ...row
}: T): Omit<T, keyof KeyColumns> & { key: MachineKey | null } {
  const state = hostKeyState(seen, accepted)
  return { ...row, key: seen === null || state === null ? null : { fingerprint: seen, state } }
}

/** By address, the keys that somebody has accepted in a network of a site. */
export async function acceptedKeys(tx: Db, siteId: number, network: string): Promise<Record<string, string>> {
  const found = await rows<{ address: string; accepted: string }>(
    tx,
    `
    select address, accepted from host_key
    where site_id = $1 and accepted is not null and address::inet <<= $2::cidr limit 100000`,
    [siteId, network],
  )
  return Object.fromEntries(found.map((key) => [key.address, key.accepted]))
}

export async function acceptedKey(tx: Db, siteId: number, address: string): Promise<string | null> {
  return (
    (
      await firstRow<{ accepted: string | null }>(
        tx,
        'select accepted from host_key where site_id = $1 and address = $2',
        [siteId, address],
      )
    )?.accepted ?? null
  )
}

/** Notes what machines have shown. What was accepted stays: another key is no longer that one. */
export async function noteSeen(tx: Db, siteId: number, keys: readonly Key[]): Promise<void> {
  if (!keys.length) return
  await tx.query(
    `
    insert into host_key (site_id, address, seen) select distinct on (m.address) $1::int, m.address, m.seen
    from unnest($2::text[], $3::text[]) m (address, seen)
    on conflict (site_id, address) do update set seen = excluded.seen, seen_at = now()
    where host_key.seen <> excluded.seen`,
    [siteId, keys.map((key) => key.address), keys.map((key) => key.fingerprint)],
  )
}

/**
 * Accepts keys as they were looked at: where a machine shows another by now, that one is not accepted.
 * @param mayReplace whether a key that was accepted before may be given up for it
 * @returns how many still show what was looked at, and how many of them were accepted with this
 */
export async function acceptKeys(
  tx: Db,
  site: { id: number; clientId: number },
  keys: readonly Key[],
  personId: number | null,
  mayReplace: boolean,
): Promise<{ shown: number; accepted: number }> {
  const shown = await rows<{ address: string; seen: string; before: string | null }>(
    tx,
    `
    select h.address, h.seen, h.accepted as before from host_key h
    join unnest($2::text[], $3::text[]) m (address, seen) on h.address = m.address and h.seen = m.seen
    where h.site_id = $1 for update of h`,
    [site.id, keys.map((key) => key.address), keys.map((key) => key.fingerprint)],
  )
  const fresh = shown.filter(({ seen, before }) => before !== seen && (before === null || mayReplace))
  if (fresh.length) {
    await tx.query(
      `update host_key set accepted = seen, accepted_at = now(), accepted_by = $3
       where site_id = $1 and address = any($2)`,
      [site.id, fresh.map((key) => key.address), personId],
    )
    await audit(tx, {
      personId,
      action: 'accepted keys of machines',
      kind: 'site',
      id: site.id,
      clientId: site.clientId,
      detail: { keys: fresh },
    })
    announce(tx, { topic: 'estate', clientIds: [site.clientId], deviceIds: [] })
  }
  return { shown: shown.length, accepted: fresh.length }
}

export function hostKeyRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'POST',
    url: '/api/sites/:id/host-keys',
    access: 'technician',
    summary:
      'Accept keys that machines of a site have shown, as they were looked at; from then on passwords are sent there',
    answer: keysAcceptedSchema,
    body: keysToAcceptSchema,
    handle: ({ body, viewer, id }) =>
      inTransaction(pool, async (tx) => {
        const site = await firstRow<{ id: number; client_id: number }>(
          tx,
          'select id, client_id from site where id = $1',
          [id()],
        )
        if (!site) throw new ProblemError('no-such-site')
        requireClient(viewer, site.client_id, 'no-such-site')
        const { shown, accepted } = await acceptKeys(
          tx,
          { id: site.id, clientId: site.client_id },
          body.keys,
          viewer.id,
          true,
        )
        if (shown < body.keys.length)
          throw new ProblemError(
            'changed-meanwhile',
            `${body.keys.length - shown} of these machines show another key by now, or were never met. Look at the keys again, then accept them.`,
          )
        return { accepted }
      }),
  })
}
