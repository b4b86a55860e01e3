import type { WaiverList, WaiverQuery, WaiverView } from '#contract'
import { firstRow, rows, time, type Db } from '../../../db'
import { ProblemError } from '../../../http/problems'
import { ofClients, type Viewer } from '../../access'

const atOnce = 100

type Key = [at: number, deviceId: number, need: string, instance: string]
const writeKey = (key: Key) => Buffer.from(JSON.stringify(key)).toString('base64url')

/** @throws ProblemError invalid */
function readKey(text: string): Key {
  try {
    const [at, deviceId, need, instance] = JSON.parse(Buffer.from(text, 'base64url').toString()) as unknown[]
    if (
      Number.isSafeInteger(at) &&
      Math.abs(at as number) < 1e14 &&
      Number.isInteger(deviceId) &&
      Math.abs(deviceId as number) < 2 ** 31 &&
      typeof need === 'string' &&
      typeof instance === 'string' &&
      !`${need}${instance}`.includes('\0')
    )
      return [at as number, deviceId as number, need, instance]
  } catch {
    // Answered below.
  }
  throw new ProblemError('invalid', 'This is no place in the list. Begin again at its top, without “after”.', [
    { at: 'after', message: 'not from a part before' },
  ])
}

/** What was said not to be needed, a part of it, the newest first. */
export async function waiverList(db: Db, viewer: Viewer, { client, after }: WaiverQuery): Promise<WaiverList> {
  const key = after === undefined ? null : readKey(after)
  const from = `from coverage_waiver w join device d on d.id = w.device_id
    where d.retired_at is null and ${ofClients('d.client_id', 1)} and ($2::int is null or d.client_id = $2)`
  const order = `date_trunc('milliseconds', w.created_at), w.device_id, w.need, w.instance`
  const found = await rows<WaiverView>(
    db,
    `
    select v.need, v.instance, v.reason, v.at, coalesce(p.name, '') as by,
      json_build_object('id', v.device_id, 'name', v.name, 'clientId', v.client_id, 'clientName', c.name, 'siteName',
        s.name) as device
    from (
      select w.device_id, w.need, w.instance, w.reason, w.created_by, date_trunc('milliseconds', w.created_at) as at,
        d.name, d.client_id, d.site_id
      ${from} and ($3::timestamptz is null or (${order}) < ($3, $4::int, $5::text, $6::text))
      order by 6 desc, 1 desc, 2 desc, 3 desc limit $7
    ) v join client c on c.id = v.client_id join site s on s.id = v.site_id left join person p on p.id = v.created_by
    order by v.at desc, v.device_id desc, v.need desc, v.instance desc`,
    [viewer.clientIds, client ?? null, time(key?.[0] ?? null), ...(key?.slice(1) ?? [null, null, null]), atOnce + 1],
  )
  const counted = await firstRow<{ total: number }>(db, `select count(*)::int as total ${from}`, [
    viewer.clientIds,
    client ?? null,
  ])
  const waivers = found.slice(0, atOnce)
  const last = waivers.at(-1)
  return {
    total: counted!.total,
    waivers,
    next: last && found.length > waivers.length ? writeKey([last.at, last.device.id, last.need, last.instance]) : null,
  }
}
