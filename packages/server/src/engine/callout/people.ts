import { looksAt, type ClientId, type Millis, type Recipient } from '#core'
import { onCallAt, RecurrenceError, turnStarts, type Rotation, type Swap } from '#core/turns'
import { rows, type Db } from '../../db'

interface Reachable {
  id: number
  access: 'lead' | 'technician'
  clientIds: ClientId[] | null
  hours: string
  zone: string | null
  awayUntil: Millis | null
}

/** Whether somebody may hear of a client; of what is nobody’s yet, only who sees all. */
export const maySee = (clientIds: readonly ClientId[] | null, clientId: ClientId | null): boolean =>
  clientIds === null || (clientId !== null && clientIds.includes(clientId))

/** Everybody who can be told, and in which teams they are. */
export interface Roll {
  people: Map<number, Reachable>
  teams: Map<number, { members: number[]; rotation: Rotation | null; swaps: Swap[] }>
  webhooks: Set<number>
}

export type Addressee = { person: number } | { webhook: number }

export async function readRoll(db: Db): Promise<Roll> {
  const people = await rows<Reachable>(
    db,
    `select id, access, client_ids as "clientIds", reach_hours as hours, reach_zone as zone, away_until as "awayUntil"
     from person where access <> 'contact' and deactivated_at is null`,
  )
  const members = await rows<{ team: number; person: number }>(
    db,
    `select m.team_id as team, m.person_id as person from team_member m join team t on t.id = m.team_id
     where t.removed_at is null order by 1, 2`,
  )
  const rotations = await rows<Rotation & { team: number }>(
    db,
    'select team_id as team, starts, zone, rule, turns from rotation',
  )
  const swaps = await rows<Swap & { team: number }>(
    db,
    `select team_id as team, person_id as person, from_at as from, until_at as until from swap
     where until_at > now() - interval '1 day' order by id`,
  )
  const webhooks = await rows<{ id: number }>(db, 'select id from webhook where removed_at is null')
  const teams: Roll['teams'] = new Map()
  for (const { team, person } of members) {
    const known = teams.get(team)
    if (known) known.members.push(person)
    else teams.set(team, { members: [person], rotation: null, swaps: [] })
  }
  for (const { team, ...rotation } of rotations) {
    const known = teams.get(team)
    if (known) known.rotation = rotation
  }
  for (const { team, ...swap } of swaps) teams.get(team)?.swaps.push(swap)
  return {
    people: new Map(people.map((person) => [person.id, person])),
    teams,
    webhooks: new Set(webhooks.map(({ id }) => id)),
  }
}

/** Turns ahead are worked out so far, and kept: counting those of years takes a tenth of a second. */
const ahead: Millis = 40 * 86_400_000
const known = new Map<string, { until: Millis; starts: Millis[] }>()

export function startsOf(rotation: Rotation, until: Millis): Millis[] {
  const key = JSON.stringify([rotation.starts, rotation.zone, rotation.rule])
  const kept = known.get(key)
  if (kept && kept.until >= until) return kept.starts
  if (known.size > 200) known.clear()
  const starts = turnsOrNone(rotation, until + ahead)
  known.set(key, { until: until + ahead, starts })
  return starts
}

/** A rule that counts too long by now has no turns any more: the whole team is told. */
function turnsOrNone(rotation: Rotation, until: Millis): Millis[] {
  try {
    return turnStarts(rotation, until)
  } catch (error) {
    if (error instanceof RecurrenceError) return []
    throw error
  }
}

/** Who of a team is on call; null: it has no turns, or they have not begun. */
export function onCallOf(roll: Roll, team: number, at: Millis): number | null {
  const { rotation, swaps } = roll.teams.get(team) ?? { rotation: null, swaps: [] }
  return rotation && onCallAt(rotation.turns, startsOf(rotation, at), swaps, at)
}

/**
 * Who is told of something at a client, as it is at a time. Nobody hears of a client that they may not see. Where
 * nobody of those who are meant can be reached (away, outside of their hours), all of them are told all the same; where
 * there is nobody, the leads.
 */
export function addressees(
  roll: Roll,
  recipients: readonly Recipient[],
  clientId: ClientId | null,
  at: Millis,
): Addressee[] {
  const people = new Set<number>()
  const webhooks = new Set<number>()
  for (const recipient of recipients) {
    if (recipient.to === 'webhook') {
      if (roll.webhooks.has(recipient.id)) webhooks.add(recipient.id)
    } else for (const person of peopleOf(roll, recipient, clientId, at)) people.add(person)
  }
  return [...[...people].map((person) => ({ person })), ...[...webhooks].map((webhook) => ({ webhook }))]
}

function peopleOf(
  roll: Roll,
  recipient: Exclude<Recipient, { to: 'webhook' }>,
  clientId: ClientId | null,
  at: Millis,
): number[] {
  const isThere = (person: Reachable) =>
    (person.awayUntil === null || person.awayUntil <= at) && looksAt(person.hours, at, person.zone ?? 'UTC')
  const among = (ids: Iterable<number>) =>
    [...ids].flatMap((id) => roll.people.get(id) ?? []).filter(({ clientIds }) => maySee(clientIds, clientId))
  const ids = (list: readonly Reachable[]) => list.map(({ id }) => id)
  const leads = () => {
    const all = among(roll.people.keys()).filter(({ access }) => access === 'lead')
    const there = all.filter(isThere)
    return ids(there.length ? there : all)
  }
  const reached = (meant: readonly Reachable[]): number[] => {
    const there = meant.filter(isThere)
    return there.length ? ids(there) : meant.length ? ids(meant) : leads()
  }
  switch (recipient.to) {
    case 'leads':
      return leads()
    case 'team':
      return reached(among(roll.teams.get(recipient.id)?.members ?? []))
    case 'on-call': {
      const onCall = onCallOf(roll, recipient.id, at)
      // Whoever is on call is reached whatever their own hours are.
      const person = onCall === null ? [] : among([onCall]).filter(({ awayUntil }) => (awayUntil ?? 0) <= at)
      return person.length ? ids(person) : reached(among(roll.teams.get(recipient.id)?.members ?? []))
    }
    case 'person': {
      const person = among([recipient.id])
      return person.length && person.every(({ awayUntil }) => (awayUntil ?? 0) <= at) ? ids(person) : leads()
    }
  }
}
