import type { RunAction } from '#contract'
import { firstRow, rows, type Db } from '../../../db'
import { ProblemError } from '../../../http/problems'

/** A kind of run in waves, by its tables: of machines that get an agent, or of agents that get another version. */
export interface RunTables {
  runs: 'wave_run' | 'update_run'
  members: 'wave_machine' | 'update_device'
  /** The column that tells the members of a run apart. */
  number: 'n' | 'device_id'
  /** The state of a member that has got what it was to get. */
  arrived: 'installed' | 'updated'
  /** In SQL: what else changes each time that it is gone to. */
  again: string
}
export const waveTables: RunTables = {
  runs: 'wave_run',
  members: 'wave_machine',
  number: 'n',
  arrived: 'installed',
  again: 'failure = null, attempts = attempts + 1,',
}
export const updateTables: RunTables = {
  runs: 'update_run',
  members: 'update_device',
  number: 'device_id',
  arrived: 'updated',
  again: '',
}

const allowed: Record<RunAction, readonly string[]> = {
  pause: ['running'],
  resume: ['paused'],
  stop: ['running', 'paused'],
  retry: ['running', 'paused', 'stopped', 'done'],
}
const done: Record<RunAction, string> = {
  pause: 'be paused',
  resume: 'resume',
  stop: 'be stopped',
  retry: 'be tried again',
}

/**
 * Pause, resume, stop, or try again what failed. What is on its way is let finish; what no device has taken yet goes
 * nowhere.
 * @param run locked by the caller, who has made sure that it may be controlled
 */
export async function control(
  tx: Db,
  { runs, members }: RunTables,
  run: { id: number; state: string; wave: number; waves: number },
  action: RunAction,
  by: string,
): Promise<void> {
  if (!allowed[action].includes(run.state))
    throw new ProblemError('already-ended', `This run is ${run.state}; it cannot ${done[action]}.`)
  // The names of tables are constants of this program.
  if (action === 'retry') {
    // Why it failed stays in sight until its turn comes.
    const again = await rows<{ wave: number }>(
      tx,
      `update ${members} set state = 'waiting', step = '', changed_at = now()
       where run_id = $1 and state = 'failed' returning wave`,
      [run.id],
    )
    if (!again.length)
      throw new ProblemError('invalid', 'Nothing failed in this run, so there is nothing to try again.')
    await tx.query(`update ${runs} set state = 'running', reason = '', wave = $2, ended_at = null where id = $1`, [
      run.id,
      Math.min(run.wave, ...again.map((row) => row.wave)),
    ])
  } else if (action === 'resume') {
    // Whoever resumes it has looked: the wave counts as well enough.
    const { left } = (await firstRow<{ left: number }>(
      tx,
      `select count(*)::int as left from ${members} where run_id = $1 and wave = $2 and state in ('waiting', 'going')`,
      [run.id, run.wave],
    ))!
    await tx.query(`update ${runs} set state = 'running', reason = '', wave = $2 where id = $1`, [
      run.id,
      left || run.wave >= run.waves ? run.wave : run.wave + 1,
    ])
  } else {
    const state = action === 'pause' ? 'paused' : 'stopped'
    await tx.query(
      `update ${runs} set state = $2, reason = $3, ended_at = case when $2 = 'stopped' then now() end where id = $1`,
      [run.id, state, `${state} by ${by}`],
    )
  }
  if (action === 'stop')
    await tx.query(
      `
      with taken_back as (update device_task t set state = 'over' from ${members} m
      where m.run_id = $1 and t.id = m.task_id and t.state = 'queued' and m.state = 'going' returning t.id)
      update ${members} set state = 'waiting', step = '', changed_at = now()
      where run_id = $1 and task_id in (select id from taken_back)`,
      [run.id],
    )
}
