import { openPool } from '../../packages/server/src/db'
import { silenceRound } from '../../packages/server/src/engine/silence'

export interface SilenceFigure {
  quiet: number
  /** The first look after a start, which reads them all, and the slowest of the rounds after it. */
  firstMillis: number
  roundMillis: number
  /** From the moment a server had been silent for long enough, to its alert. */
  toldMillis: number
}

/** Every workstation is silent, as at night, and then one server is. No server process runs meanwhile. */
export async function silenceAtNight(database: string): Promise<SilenceFigure> {
  const pool = openPool(database)
  try {
    const round = silenceRound(pool)
    await pool.query(
      `update device set heard_at = now() - case kind when 'server' then interval '0' else interval '3 hours' end`,
    )
    // It has been heard all the time.
    await pool.query(`update hearing set since = now() - interval '1 day', last = now()`)
    const timed = async () => {
      const began = performance.now()
      await round(Date.now())
      return performance.now() - began
    }
    const firstMillis = await timed()
    const rounds: number[] = []
    for (let i = 0; i < 10; i++) rounds.push(await timed())
    const { rows: quiet } = await pool.query<{ count: number }>(
      `select count(*)::int as count from device where kind <> 'server'`,
    )
    await pool.query(
      `update device set heard_at = now() - interval '1 hour' where id = (select min(id) from device where kind = 'server')`,
    )
    const began = performance.now()
    await round(Date.now())
    const { rows: told } = await pool.query<{ count: number }>(
      `select count(*)::int as count from alert where status <> 'closed' and rule->>'kind' = 'silence'
       and device_id = (select min(id) from device where kind = 'server')`,
    )
    return {
      quiet: quiet[0]!.count,
      firstMillis,
      roundMillis: Math.max(...rounds),
      toldMillis: told[0]!.count ? performance.now() - began : Infinity,
    }
  } finally {
    await pool.end()
  }
}
