import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { inTransaction, rows, type Pool } from './pool'
import { ensurePartitions } from './partitions'

/**
 * Applies the numbered files that this database has not seen yet, in order, each in a transaction of its own.
 * @throws Error where a newer version has been at it, whose tables this one does not know
 */
export async function migrate(pool: Pool, folder: string, now: number): Promise<number> {
  await pool.query(
    'create table if not exists migration (name text primary key, applied_at timestamptz not null default now())',
  )
  const files = readdirSync(folder)
    .filter((file) => file.endsWith('.sql'))
    .sort()
  const newer = await rows<{ name: string }>(pool, 'select name from migration where name > $1 order by name', [
    files.at(-1) ?? '',
  ])
  if (newer.length)
    throw new Error(
      `A newer version of Custode has changed this database (${newer.at(-1)!.name}). Start that version, or restore what was saved before the upgrade.`,
    )
  let applied = 0
  for (const name of files) {
    applied += await inTransaction(pool, async (tx) => {
      // Two servers may start at once; the second waits here and then finds the work done.
      await tx.query('lock table migration in exclusive mode')
      const done = await rows(tx, 'select 1 from migration where name = $1', [name])
      if (done.length) return 0
      await tx.query(readFileSync(join(folder, name), 'utf8'))
      await tx.query('insert into migration (name) values ($1)', [name])
      return 1
    })
  }
  await ensurePartitions(pool, now)
  return applied
}
