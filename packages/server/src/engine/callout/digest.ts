import { ageText, countText, minute, type ClientId, type Millis, type Severity } from '#core'
import { DateTime } from 'luxon'
import { firstRow, inTransaction, rows, time, type Db, type Pool } from '../../db'
import { eachAlone } from '../alone'
import { escaped, type Mail } from './mail'

interface Due {
  id: number
  digest_at: number
  digest_on: string | null
  reach_zone: string | null
}

/** What was due longer ago is not sent any more: the day has begun. */
const latest: Millis = 3 * 60 * minute

/** Puts up the summaries of those whose time of the day has come; each once a day, and none for who is away. */
export async function decideDigests(pool: Pool, now: Millis): Promise<void> {
  const people = await rows<Due>(
    pool,
    `select id, digest_at, digest_on::text, reach_zone from person
     where digest_at is not null and deactivated_at is null and (away_until is null or away_until <= now())`,
  )
  await eachAlone(people, async ({ id, digest_at, reach_zone }) => {
    const there = DateTime.fromMillis(now, { zone: reach_zone ?? 'UTC' })
    if (!there.isValid) return
    const since = (there.hour * 60 + there.minute - digest_at) * minute
    if (since < 0 || since > latest) return
    await inTransaction(pool, async (tx) => {
      // Said by the statement itself: two processes look at the same time.
      const mine = await firstRow(
        tx,
        'update person set digest_on = $2 where id = $1 and digest_on is distinct from $2::date returning id',
        [id, there.toISODate()],
      )
      if (mine)
        await tx.query(`insert into callout_message (person_id, leaves_at, kind) values ($1, $2, 'digest')`, [
          id,
          time(now),
        ])
    })
  })
}

interface Line {
  id: number
  severity: Severity
  about: string
  deviceName: string
  clientName: string
  began: Millis
  takenBy: string | null
  /** Of all that are open, those that are not listed among them. */
  total: number
  critical: number
}
const listed = 25

/** Of the last day and of now, at the clients that somebody sees; null: they see nobody’s any more. */
export async function composeDigest(db: Db, personId: number, origin: string, now: Millis): Promise<Mail | null> {
  const person = await firstRow<{ client_ids: ClientId[] | null; zone: string | null }>(
    db,
    'select client_ids, reach_zone as zone from person where id = $1 and deactivated_at is null',
    [personId],
  )
  if (!person) return null
  const mine = `($1::int[] is null or a.client_id = any($1))`
  const open = await rows<Line>(
    db,
    `
    select a.id, a.severity, coalesce(nullif(a.evidence->>'text', ''), a.rule->>'name') as about,
      coalesce(d.name, s.name) as "deviceName", c.name as "clientName", a.began, p.name as "takenBy",
      (count(*) over ())::int as total, (count(*) filter (where a.severity = 'critical') over ())::int as critical
    from alert a left join device d on d.id = a.device_id left join site s on s.id = a.site_id
    join client c on c.id = a.client_id left join person p on p.id = a.taken_by
    where a.status <> 'closed' and a.carried_by is null and a.well_since is null and ${mine}
    order by array_position(array['critical', 'warning', 'notice'], a.severity), a.began desc limit $2`,
    [person.client_ids, listed],
  )
  const past = (await firstRow<{ raised: number; settled: number; held: number }>(
    db,
    `
    select (select count(*)::int from alert a where a.raised_at > $2 and a.close_reason is distinct from 'history'
        and ${mine}) as raised,
      (select count(*)::int from alert a where a.closed_at > $2 and a.close_reason = 'cleared' and ${mine}) as settled,
      (select count(*)::int from held a where a.ended_at is null and ${mine}) as held`,
    [person.client_ids, time(now - 24 * 60 * minute)],
  ))!
  const planned = await rows<{ name: string; from: Millis }>(
    db,
    `
    select w.name, o.from_at as from from window_occurrence o join maintenance_window w on w.id = o.window_id
    where o.from_at > $2 and o.from_at < $3 and (o.ended_at is null or o.ended_at > o.from_at)
      and ($1::int[] is null or w.client_id = any($1)) order by o.from_at limit 20`,
    [person.client_ids, time(now), time(now + 24 * 60 * minute)],
  )
  return mailOf(open, past, planned, { origin, now, zone: person.zone ?? 'UTC' })
}

function mailOf(
  open: readonly Line[],
  { raised, settled, held }: { raised: number; settled: number; held: number },
  planned: readonly { name: string; from: Millis }[],
  { origin, now, zone }: { origin: string; now: Millis; zone: string },
): Mail {
  const { total, critical } = open[0] ?? { total: 0, critical: 0 }
  const clock = (at: Millis) => DateTime.fromMillis(at, { zone }).setLocale('en-GB').toFormat('ccc HH:mm ZZZZ')
  const lines = open.map(
    ({ severity, deviceName, about, clientName, began, takenBy }) =>
      `${severity}: ${deviceName}: ${about} – ${clientName}, for ${ageText(now - began)}${takenBy ? `, with ${takenBy}` : ''}`,
  )
  const parts: [title: string, lines: string[]][] = [
    [
      total ? `Open now: ${countText(total, 'alert')}` : 'Nothing is open',
      total > open.length ? [...lines, `and ${total - open.length} more`] : lines,
    ],
    [
      'In the last 24 hours',
      [
        `${countText(raised, 'alert')} raised, ${settled} well again by themselves`,
        ...(held ? [`${countText(held, 'alert')} held back by maintenance now`] : []),
      ],
    ],
    [
      'Planned within 24 hours',
      planned.length ? planned.map(({ name, from }) => `${clock(from)}: ${name}`) : ['nothing'],
    ],
    ['All of it', [`${origin}/rounds`]],
  ]
  return {
    subject: total
      ? `This morning: ${countText(total, 'open alert')}${critical ? `, ${critical} critical` : ''}`
      : 'This morning: nothing is open',
    text: parts.map(([title, list]) => [title, ...list.map((line) => `  ${line}`), ''].join('\n')).join('\n'),
    html: `<!doctype html><html lang="en"><body style="font-family:Georgia,serif;font-size:15px;color:#1d2733">${parts
      .map(
        ([title, list]) =>
          `<h2 style="font-size:17px;margin:16px 0 4px">${escaped(title)}</h2>${list
            .map((line) =>
              line.startsWith(origin)
                ? `<p style="margin:2px 0"><a href="${escaped(line)}">${escaped(line)}</a></p>`
                : `<p style="margin:2px 0">${escaped(line)}</p>`,
            )
            .join('')}`,
      )
      .join('')}</body></html>`,
    references: [],
  }
}
