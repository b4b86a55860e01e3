import type { CalloutNames, EstateNames } from '#core'
import { rows, type Db } from '../../db'
import type { Viewer } from '../access'

/** How recipients are called; whoever is for other clients alone is nobody’s business. */
export async function recipientNames(db: Db, viewer: Viewer | null): Promise<Omit<CalloutNames, keyof EstateNames>> {
  const named = async (sql: string, values: unknown[] = []) =>
    new Map((await rows<{ id: number; name: string }>(db, sql, values)).map(({ id, name }) => [id, name]))
  const people = await named(
    `select id, name from person where $1::int[] is null or client_ids is null or client_ids && $1`,
    [viewer?.clientIds ?? null],
  )
  const teams = await named('select id, name from team where removed_at is null')
  const webhooks = await named('select id, name from webhook where removed_at is null')
  return {
    team: (id) => teams.get(id) ?? null,
    person: (id) => people.get(id) ?? null,
    webhook: (id) => webhooks.get(id) ?? null,
  }
}

/** All names that the sentence of a rule needs. */
export async function calloutNames(db: Db, viewer: Viewer, estate: EstateNames): Promise<CalloutNames> {
  return {
    client: (id) => estate.client(id),
    site: (id) => estate.site(id),
    role: (id) => estate.role(id),
    device: (id) => estate.device(id),
    ...(await recipientNames(db, viewer)),
  }
}
