import ICAL from 'ical.js'
import { day } from '#core'
import { turnsBetween } from '#core/turns'
import { firstRow, rows, type Db } from '../../db'
import { readRoll, startsOf } from '../../engine'
import { ProblemError } from '../../http/problems'

const shown = { before: 14 * day, after: 180 * day }

/**
 * The turns of a team as iCalendar (RFC 5545), each an event in UTC.
 * @param clientIds of whoever reads it: who works for others alone is not named
 * @throws ProblemError no-such-team
 */
export async function turnsCalendar(
  db: Db,
  teamId: number,
  clientIds: readonly number[] | null,
  now: number,
): Promise<string> {
  const team = await firstRow<{ name: string }>(db, 'select name from team where id = $1 and removed_at is null', [
    teamId,
  ])
  if (!team) throw new ProblemError('no-such-team')
  const { rotation, swaps } = (await readRoll(db)).teams.get(teamId) ?? { rotation: null, swaps: [] }
  const [from, until] = [now - shown.before, now + shown.after]
  const turns = rotation ? turnsBetween(rotation.turns, startsOf(rotation, until), swaps, from, until) : []
  const people = new Map(
    (
      await rows<{ id: number; name: string }>(
        db,
        `select id, name from person where id = any($1) and ($2::int[] is null or client_ids is null or client_ids && $2)`,
        [turns.flatMap(({ person, insteadOf }) => (insteadOf === null ? [person] : [person, insteadOf])), clientIds],
      )
    ).map(({ id, name }) => [id, name]),
  )
  const calendar = new ICAL.Component('vcalendar')
  calendar.addPropertyWithValue('prodid', '-//Custode//Turns on call//EN')
  calendar.addPropertyWithValue('version', '2.0')
  calendar.addPropertyWithValue('method', 'PUBLISH')
  calendar.addPropertyWithValue('name', `On call, ${team.name}`)
  calendar.addPropertyWithValue('x-wr-calname', `On call, ${team.name}`)
  const time = (at: number) => ICAL.Time.fromJSDate(new Date(at), true)
  for (const turn of turns) {
    const event = new ICAL.Component('vevent')
    event.addPropertyWithValue('uid', `turn-${teamId}-${turn.from}@custode`)
    event.addPropertyWithValue('dtstamp', time(now))
    event.addPropertyWithValue('dtstart', time(turn.from))
    event.addPropertyWithValue('dtend', time(turn.until))
    const instead = turn.insteadOf === null ? '' : `, instead of ${people.get(turn.insteadOf) ?? 'a colleague'}`
    event.addPropertyWithValue('summary', `${team.name}: ${people.get(turn.person) ?? 'a colleague'}${instead}`)
    event.addPropertyWithValue('transp', 'TRANSPARENT')
    calendar.addSubcomponent(event)
  }
  return `${calendar.toString()}\r\n`
}
