import type { AlertCompanion } from '#contract'
import { beginsTogether, companions, day, groupsBy, type Companion, type Millis } from '#core'
import { rows, time, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { ofClients, type Viewer } from '../access'

/** What happened longer ago says little of how it is now. */
const lookedBack: Millis = 90 * day
/** Of the post's own, the newest so many; nobody reads more of others. */
const ownAtMost = 200
const shown = 8

type Other = Omit<AlertCompanion, keyof Companion<unknown>> & { began: Millis; watch: string; instance: string }

/**
 * What began together with the post of an alert again and again, at its site. Of a silent device or a site nothing is
 * told: what they carry stands with them. `alert_device` serves both statements.
 * @throws ProblemError no-such-alert
 */
export async function alertCompanions(pool: Pool, viewer: Viewer, id: number, now: Millis): Promise<AlertCompanion[]> {
  const [subject] = await rows<{ deviceId: number | null; siteId: number; watch: string; instance: string }>(
    pool,
    `select a.device_id as "deviceId", d.site_id as "siteId", a.watch, a.instance
     from alert a left join device d on d.id = a.device_id where a.id = $2 and ${ofClients('a.client_id', 1)}`,
    [viewer.clientIds, id],
  )
  if (!subject) throw new ProblemError('no-such-alert')
  const { deviceId, siteId, watch, instance } = subject
  if (deviceId === null) return []
  const since = time(now - lookedBack)
  const own = await rows<{ began: Millis }>(
    pool,
    `select began from alert where device_id = $1 and watch = $2 and instance = $3 and raised_at > $4
     order by raised_at desc limit ${ownAtMost}`,
    [deviceId, watch, instance, since],
  )
  if (own.length < 3) return []
  const others = await rows<Other>(
    pool,
    `
    select a.id as "alertId", a.device_id as "deviceId", d.name as "deviceName", a.severity, a.began, a.watch, a.instance,
      coalesce(a.evidence->>'subject', nullif(a.instance, ''), a.rule->>'name') as about
    from alert a join device d on d.id = a.device_id
    where d.site_id = $2 and ${ofClients('a.client_id', 1)} and a.raised_at > $3
      and (a.device_id, a.watch, a.instance) is distinct from ($4::int, $5::text, $6::text)
      and a.rule->>'kind' <> 'silence'
    order by a.raised_at desc limit 20000`,
    [viewer.clientIds, siteId, since, deviceId, watch, instance],
  )
  const times = own.map(({ began }) => began)
  const byPost = groupsBy(others, (other) => `${other.deviceId} ${other.watch} ${other.instance}`)
  const found = companions(
    times,
    new Map([...byPost].map(([post, list]) => [post, list.map(({ began }) => began)])),
    lookedBack,
  )
  return found.slice(0, shown).map(({ post, together, of, later }) => {
    const list = byPost.get(post)!
    const beside = list.find(({ began }) => times.some((at) => Math.abs(at - began) <= beginsTogether)) ?? list[0]!
    const { began: _b, watch: _w, instance: _i, ...companion } = beside
    return { ...companion, together, of, later }
  })
}
