import type { CalendarEntry, CalendarImport, CalendarImported, NewWindow } from '#contract'
import { sameData, targetSentence, type Millis, type Target } from '#core'
import { nextOccurrences, withUntilInUtc, type Schedule } from '#core/schedule'
import { inTransaction, rows, type Db, type Pool } from '../../../db'
import { ProblemError } from '../../../http/problems'
import type { WindowRow } from '../../../store/windows'
import { ofClients, type Viewer } from '../../access'
import { readEstate } from '../../policy'
import { changeWindow, endWindow, openWindow } from '../changes'
import { CalendarError, readCalendar, type CalendarFault, type ReadEvent } from './read'

/** Windows that events speak of, by their UID: ours by number, others by what they were imported from. */
async function windowsByUid(db: Db, viewer: Viewer, uids: readonly string[]): Promise<Map<string, WindowRow>> {
  const own = new Map(
    uids.flatMap((uid) => {
      const number = /^window-(\d{1,9})@custode$/.exec(uid)?.[1]
      return number ? [[Number(number), uid] as const] : []
    }),
  )
  const found = await rows<WindowRow>(
    db,
    `select * from maintenance_window w
     where (w.id = any($1) or w.id in (select id from window_revision where uid = any($2)))
       and ${ofClients('w.client_id', 3)} order by w.id`,
    [[...own.keys()], uids, viewer.clientIds],
  )
  return new Map(found.map((row) => [row.uid ?? own.get(row.id) ?? '', row]))
}

/** The parts of a rule mean the same in any order. */
const ruleOf = (rule: string | null, zone: string) =>
  rule === null ? null : withUntilInUtc(rule.toUpperCase(), zone).split(';').sort().join(';')

function isSame(event: ReadEvent, row: WindowRow): boolean {
  return sameData(
    {
      name: event.name,
      reason: event.reason,
      starts: event.starts,
      zone: event.zone,
      length: event.length,
      rule: ruleOf(event.rule, event.zone),
      except: event.except,
      more: event.more,
      changed: event.changed,
    },
    {
      name: row.name,
      reason: row.reason,
      starts: row.starts.slice(0, 19),
      zone: row.zone,
      // A calendar tells whole seconds.
      length: row.length_ms === null ? null : Math.round(row.length_ms / 1000) * 1000,
      rule: ruleOf(row.rule, row.zone),
      except: row.left_out.toSorted((a, b) => a - b),
      more: row.more,
      changed: row.changed,
    },
  )
}

const scheduleOf = (event: ReadEvent): Schedule => ({
  starts: event.starts,
  zone: event.zone,
  rule: event.rule,
  more: event.more,
  except: event.except,
  length: event.length,
  changed: event.changed,
})

function kindOf(event: ReadEvent, row: WindowRow | undefined, next: Millis | null): CalendarEntry['kind'] {
  if (!row) return event.cancelled || next === null ? 'past' : 'new'
  if (event.cancelled) return row.ended_at === null ? 'cancelled' : 'same'
  if (isSame(event, row) || row.ended_at !== null) return 'same'
  return next === null ? 'past' : 'changed'
}

interface ReadImport {
  events: ReadEvent[]
  refused: { uid: string; name: string; fault: CalendarFault }[]
  windows: Map<string, WindowRow>
}

/** @throws ProblemError *invalid* where the text is no calendar */
async function read(db: Db, viewer: Viewer, { text, zone }: CalendarImport): Promise<ReadImport> {
  try {
    const { events, refused } = readCalendar(text, zone)
    return {
      events,
      refused,
      windows: await windowsByUid(
        db,
        viewer,
        events.map(({ uid }) => uid),
      ),
    }
  } catch (error) {
    if (!(error instanceof CalendarError)) throw error
    throw new ProblemError(
      'invalid',
      error.fault === 'too-many'
        ? 'The calendar has more than 500 entries. Export fewer of them.'
        : 'The text is no calendar: it does not read as iCalendar (RFC 5545), from BEGIN:VCALENDAR to END:VCALENDAR.',
      [{ at: 'text', message: error.fault }],
    )
  }
}

/** What an import would do, entry by entry. */
export async function previewImport(
  db: Db,
  viewer: Viewer,
  body: CalendarImport,
  now: Millis,
): Promise<CalendarEntry[]> {
  const { events, refused, windows } = await read(db, viewer, body)
  const estate = await readEstate(db, viewer.clientIds)
  const entries = events.map((event): CalendarEntry => {
    const row = windows.get(event.uid)
    const target: Target = row?.target ?? event.target ?? body.target
    const base = {
      uid: event.uid,
      name: event.name,
      windowId: row?.id ?? null,
      zone: event.zone,
      rule: event.rule,
      length: event.length,
      skipped: event.except.length,
      moved: event.changed.length,
      targetText: targetSentence(target, estate),
    }
    try {
      const [next] = nextOccurrences(scheduleOf(event), now, 1)
      return { ...base, kind: kindOf(event, row, next?.from ?? null), next: next?.from ?? null, fault: null }
    } catch {
      return { ...base, kind: 'refused', next: null, fault: 'several-rules' }
    }
  })
  return [
    ...entries,
    ...refused.map(({ uid, name, fault }): CalendarEntry => ({
      uid,
      name,
      windowId: null,
      zone: '',
      rule: null,
      length: null,
      skipped: 0,
      moved: 0,
      targetText: '',
      kind: 'refused',
      next: null,
      fault,
    })),
  ]
}

const bodyOf = (event: ReadEvent, target: Target, body: CalendarImport): NewWindow => ({
  name: event.name,
  reason: event.reason,
  target,
  subject: event.subject ?? body.subject,
  from: event.starts,
  length: event.length,
  zone: event.zone,
  rule: event.rule,
  except: event.except,
  ticket: event.ticket,
})

/** Takes the chosen entries in, each by itself: one that is refused keeps no other from coming in. */
export async function importCalendar(
  pool: Pool,
  viewer: Viewer,
  body: CalendarImport & { uids: string[] },
  now: Millis,
): Promise<CalendarImported[]> {
  const { events, windows } = await read(pool, viewer, body)
  const chosen = new Set(body.uids)
  const done: CalendarImported[] = []
  for (const event of events.filter(({ uid }) => chosen.has(uid))) {
    const row = windows.get(event.uid)
    try {
      const id = await inTransaction(pool, async (tx): Promise<number> => {
        const why = 'imported from a calendar'
        if (event.cancelled && row) return (await endWindow(tx, row.id, why, viewer, now)).id
        const exact = { except: event.except, changed: event.changed, more: event.more }
        if (!row) {
          const made = await openWindow(tx, bodyOf(event, event.target ?? body.target, body), viewer, now, false, {
            uid: event.uid,
            why,
            ...exact,
          })
          return made.id
        }
        const window = {
          ...bodyOf(event, row.target, body),
          subject: row.subject,
          ownerId: row.owner_id,
          ticket: row.ticket,
        }
        const change = { revision: row.revision, scope: 'all', start: null, why, window } as const
        return (await changeWindow(tx, row.id, change, viewer, now, exact)).id
      })
      done.push({ uid: event.uid, id, problem: null })
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error
      done.push({ uid: event.uid, id: null, problem: error.detail })
    }
  }
  return done
}
