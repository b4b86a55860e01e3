import type { Client } from 'pg'
import type { OsFamily } from '#core'

/** What a program writes, with `{n}`, `{ip}` and `{hex}` where it is another thing each time. */
interface Phrase {
  family: OsFamily
  channel: string
  source: string
  id: number | null
  /** Severity of RFC 5424. */
  level: number
  text: string
}

const linuxSources = [
  ...['systemd', 'kernel', 'sshd', 'cron', 'nginx', 'postfix/smtp', 'postfix/qmgr', 'named', 'dhcpd', 'chronyd'],
  ...['postgres', 'smbd', 'rsyncd', 'dockerd', 'sudo', 'cupsd', 'fail2ban', 'networkd', 'smartd', 'backup'],
]
const windowsSources: readonly (readonly [channel: string, source: string])[] = [
  ...['Service Control Manager', 'disk', 'DNS Client Events', 'Kernel-General', 'Time-Service', 'Netlogon', 'Ntfs'].map(
    (source) => ['System', source] as const,
  ),
  ...['Application Error', 'Search', 'MsiInstaller', 'Backup', 'Perflib', 'User Profiles Service'].map(
    (source) => ['Application', source] as const,
  ),
  ...['Security-Auditing', 'Eventlog'].map((source) => ['Security', source] as const),
]
const things = ['session', 'request', 'job', 'volume', 'peer', 'lease', 'queue', 'certificate', 'zone', 'worker']
const sayings: readonly (readonly [text: string, level: number])[] = [
  ['{thing} {n} started', 6],
  ['{thing} {n} ended well after {n} ms', 6],
  ['{thing} of {ip} port {n} accepted', 6],
  ['{thing} {n} from {ip} closed by the other side', 5],
  ['{thing} {n} waits for {n} s', 5],
  ['{thing} {n} is slow: {n} ms', 4],
  ['{thing} {n} refused for {ip}', 4],
  ['{thing} {n} failed with code {n}', 3],
]

/** Some 2,800 phrases, those that are written most first. */
function phrases(): Phrase[] {
  const spoken = sayings.flatMap(([text, level]) =>
    things.map((thing) => ({ text: text.replace('{thing}', thing), level })),
  )
  const linux = spoken.flatMap((saying) =>
    linuxSources.map((source): Phrase => ({ family: 'linux', channel: 'journal', source, id: null, ...saying })),
  )
  const windows = spoken.flatMap((saying, n) =>
    windowsSources.map(([channel, source], of): Phrase => ({
      family: 'windows',
      channel,
      source,
      id: 1000 + 20 * n + of,
      ...saying,
    })),
  )
  // Names that never come again: each makes a shape of its own.
  const queued: Phrase = {
    family: 'linux',
    channel: 'journal',
    source: 'postfix/smtp',
    id: null,
    level: 6,
    text: '{hex}: delivered in {n} ms',
  }
  return [...linux.slice(0, 5), queued, ...linux.slice(5), ...windows]
}

/**
 * A log for every device, spread over some days. One phrase in thirty makes half of the entries, as in real logs.
 * @param before when the last entry is written
 */
export async function fillLog(db: Client, perDevice: number, days: number, before: string): Promise<void> {
  const all = phrases()
  await db.query(
    `create temp table phrase (family text, n int, channel text, source text, event_id bigint, level smallint, text text,
       primary key (family, n))`,
  )
  await db.query(
    `insert into phrase
     select family, row_number() over (partition by family order by o) - 1, channel, source, event_id, level, text
     from unnest($1::text[], $2::text[], $3::text[], $4::bigint[], $5::smallint[], $6::text[])
       with ordinality p (family, channel, source, event_id, level, text, o)`,
    [
      all.map((phrase) => phrase.family),
      all.map((phrase) => phrase.channel),
      all.map((phrase) => phrase.source),
      all.map((phrase) => phrase.id),
      all.map((phrase) => phrase.level),
      all.map((phrase) => phrase.text),
    ],
  )
  await db.query('analyze phrase')
  await db.query(
    `with drawn as materialized (
       select d.id, d.os_family as family, i, power(random(), 5) as rank, random() as age
       from device d, generate_series(1, $1::int) i
     ), said as materialized (
       select w.id, w.i, date_trunc('milliseconds', $2::timestamptz - w.age * $3::int * interval '1 day') as at, p.channel, p.source, p.event_id,
         p.level, replace(replace(regexp_replace(p.text, '\\{n\\}', (w.id * 7919 + w.i * 104729) % 90000 || ''),
           '{ip}', '192.0.2.' || (w.id + w.i) % 250), '{hex}', left(md5(w.id || '/' || w.i), 12)) as text
       from drawn w
       join (select family, count(*) as phrases from phrase group by 1) f on f.family = w.family
       join phrase p on p.family = w.family and p.n = floor(w.rank * f.phrases)
     ), shaped as (
       select *, log_shape_text(text) as shape_text from said
     )
     insert into log_event (device_id, at, seq, n, channel, source, event_id, level, text, shape)
     select id, at, 0, i, channel, source, event_id, level, replace(text, '{n}', i % 5000 || ''),
       log_shape_id(channel, source, event_id, level, replace(shape_text, '{n}', '#'))
     from shaped order by at`,
    [perDevice, before, days],
  )
  await db.query(
    `insert into log_shape
     select distinct on (shape) shape, channel, source, event_id, level, log_shape_text(text), at::date
     from log_event order by shape, at desc on conflict do nothing`,
  )
  await db.query(
    `insert into log_hour select device_id, floor(extract(epoch from at) / 3600)::int, count(*),
       count(*) filter (where level <= 3)
     from log_event where at > $1::timestamptz - interval '26 hours' group by 1, 2`,
    [before],
  )
}
