import { probeToldSchema, type ProbeBatch, type ProbeReceipt, type Refusal } from '#contract'
import type { DeviceId, ProbeAsk, ProbeTold } from '#core'
import { inTransaction, rows, type Pool } from '../../db'
import { announce } from '../../live'
import { quietInterval } from './judging'

/** Whether what is told may change how a device is judged; most of what comes in says that all is as it was. */
export function isNews({ pace }: Pick<ProbeAsk, 'pace'>, before: ProbeTold | null, told: ProbeTold): boolean {
  if (before?.outcome !== told.outcome) return true
  const sure = told.outcome === 'bad' ? pace.confirm : pace.clears
  if (told.outcome !== 'trouble' && Math.min(before.inARow, told.inARow) < sure) return true
  // While it is slow its time is counted, so each look is one.
  const isSlow = ({ mean, time }: ProbeTold) => pace.slow !== null && (mean ?? time ?? 0) > pace.slow
  if (isSlow(told) || isSlow(before)) return true
  return before.fault !== told.fault || before.trouble !== told.trouble || before.expires !== told.expires
}

/**
 * Takes what a device has seen of others. What it was not asked, or is not asked any more, is left out: the number says
 * what it was asked.
 */
export async function takeLooks(pool: Pool, prober: DeviceId, batch: ProbeBatch): Promise<ProbeReceipt> {
  const refused: Refusal[] = []
  const told = new Map<number, ProbeTold>()
  batch.probes.forEach((probe: unknown, i) => {
    const { error, value } = probeToldSchema.validate(probe, { convert: false })
    if (error) refused.push({ seq: null, pointer: `/probes/${i}`, code: 'look-not-valid', detail: error.message })
    else told.set((value as ProbeTold).id, value as ProbeTold)
  })
  const kept = await inTransaction(pool, async (tx) => {
    const asked = await rows<{ id: number; ask: ProbeAsk; told: ProbeTold | null; target: DeviceId; client: number }>(
      tx,
      `select p.id, p.ask, p.told, p.target_id as target, d.client_id as client
       from probe p join device d on d.id = p.target_id
       where p.prober_id = $1 and p.id = any($2) order by p.id for update of p`,
      [prober, [...told.keys()]],
    )
    const heard = asked.map(({ id, ask, told: before, target, client }) => {
      const now = told.get(id)!
      return { id, told: now, news: isNews(ask, before, now), turned: before?.outcome !== now.outcome, target, client }
    })
    await tx.query(
      `update probe p set told = t.told, told_at = now(), due_at = case when t.news then least(p.due_at, now())
         -- It was to be judged when this one would say nothing any more, and that is put off.
         when p.due_at >= coalesce(p.told_at, p.made_at) + ${quietInterval} then now() + ${quietInterval} + interval '1 s'
         else p.due_at end
       from jsonb_to_recordset($1) t (id bigint, told jsonb, news boolean) where p.id = t.id`,
      [JSON.stringify(heard.map(({ id, told: now, news }) => ({ id, told: now, news })))],
    )
    const turned = heard.filter((each) => each.turned)
    if (turned.length)
      announce(tx, {
        topic: 'estate',
        clientIds: [...new Set(turned.map(({ client }) => client))],
        deviceIds: [...new Set([prober, ...turned.map(({ target }) => target)])],
      })
    return heard.length
  })
  return { kept, refused }
}
