import { nextTurn, type MachineState } from '#core'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../../db'
import type { RunTables } from './control'

interface Run {
  id: number
  wave: number
  waves: number
  most_failed: number
}

/**
 * Moves a run on by one turn: members of its wave go as far as may go at once, or the next wave begins, or it pauses or
 * is done.
 * @param run locked by the caller
 * @param send puts the task up for one member; its number
 * @returns whether anything changed
 */
export async function advance(
  tx: Db,
  { runs, members, number, arrived, again }: RunTables,
  run: Run,
  atOnce: number,
  send: (n: number) => Promise<{ taskId: number; step: string }>,
): Promise<boolean> {
  // The names of tables and columns are constants of this program.
  const found = await rows<{ n: number; wave: number; state: MachineState }>(
    tx,
    `select ${number} as n, wave, case state when $2 then 'installed' else state end as state
     from ${members} where run_id = $1 order by 1`,
    [run.id, arrived],
  )
  const next = nextTurn(found, { wave: run.wave, waves: run.waves, mostFailed: run.most_failed, atOnce })
  switch (next.turn) {
    case 'wait':
      return false
    case 'go':
      for (const n of next.machines) {
        const { taskId, step } = await send(n)
        await tx.query(
          `update ${members} set state = 'going', step = $4, reason = '', ${again} task_id = $3, changed_at = now()
           where run_id = $1 and ${number} = $2`,
          [run.id, n, taskId, step],
        )
      }
      break
    case 'next wave':
      await tx.query(`update ${runs} set wave = $2 where id = $1`, [run.id, next.wave])
      break
    case 'pause':
      await tx.query(`update ${runs} set state = 'paused', reason = $2 where id = $1`, [run.id, next.reason])
      break
    case 'done':
      await tx.query(`update ${runs} set state = 'done', reason = '', ended_at = now() where id = $1`, [run.id])
  }
  await tx.query(`update ${runs} set reason = '' where id = $1 and state = 'running'`, [run.id])
  return true
}

/**
 * Every run that is under way, in a transaction of its own; one that another process is at is left to it. All that is
 * known of a run is in the database: it goes on after a restart, in whichever process.
 * @param select reads runs as `r`
 */
export async function eachRunning<Row extends Run>(
  pool: Pool,
  runs: RunTables['runs'],
  select: string,
  work: (tx: Db, run: Row) => Promise<void>,
): Promise<void> {
  const running = await rows<{ id: number }>(
    pool,
    `select id from ${runs} where state = 'running' order by id limit 500`,
  )
  for (const { id } of running)
    await inTransaction(pool, async (tx) => {
      const run = await firstRow<Row>(
        tx,
        `${select} where r.id = $1 and r.state = 'running' for update of r skip locked`,
        [id],
      )
      if (run) await work(tx, run)
    })
}
