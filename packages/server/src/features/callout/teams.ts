import {
  madeSchema,
  rotationBodySchema,
  swapBodySchema,
  teamBodySchema,
  teamsSchema,
  type RotationBody,
  type TeamView,
} from '#contract'
import { day, type Millis } from '#core'
import { RecurrenceError, rotationFault, turnsBetween } from '#core/turns'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, time, type Db, type Pool } from '../../db'
import { onCallOf, readRoll, startsOf } from '../../engine'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { announce } from '../../live'
import { audit, mayChangeAll, type Viewer } from '../access'

const shownAhead: Millis = 28 * day

interface TeamRow {
  id: number
  name: string
}

/** Teams with their members, as far as the viewer may know of these, and their turns. */
async function teamsOf(db: Db, viewer: Viewer, now: Millis): Promise<TeamView[]> {
  const teams = await rows<TeamRow>(db, 'select id, name from team where removed_at is null order by lower(name)')
  const members = await rows<{ team: number; id: number; name: string; awayUntil: Millis | null }>(
    db,
    `
    select m.team_id as team, p.id, p.name, case when p.away_until > now() then p.away_until end as "awayUntil"
    from team_member m join person p on p.id = m.person_id
    where p.deactivated_at is null and ($1::int[] is null or p.client_ids is null or p.client_ids && $1)
    order by p.name, p.id`,
    [viewer.clientIds],
  )
  const swaps = await rows<{ team: number; id: number; name: string; from: Millis; until: Millis }>(
    db,
    `
    select s.team_id as team, s.id, p.name, s.from_at as from, s.until_at as until
    from swap s join person p on p.id = s.person_id
    where s.until_at > now() and ($1::int[] is null or p.client_ids is null or p.client_ids && $1) order by s.from_at`,
    [viewer.clientIds],
  )
  const people = new Map(
    (
      await rows<{ id: number; name: string }>(
        db,
        'select id, name from person where $1::int[] is null or client_ids is null or client_ids && $1',
        [viewer.clientIds],
      )
    ).map(({ id, name }) => [id, name]),
  )
  const nameOf = (id: number) => people.get(id) ?? 'a colleague'
  const roll = await readRoll(db)
  return teams.map(({ id, name }): TeamView => {
    const { rotation, swaps: stands } = roll.teams.get(id) ?? { rotation: null, swaps: [] }
    const onCall = onCallOf(roll, id, now)
    const turns = rotation
      ? turnsBetween(rotation.turns, startsOf(rotation, now + shownAhead), stands, now, now + shownAhead)
      : []
    return {
      id,
      name,
      members: members.filter(({ team }) => team === id).map(({ team: _, ...member }) => member),
      rotation,
      onCall: onCall === null ? null : nameOf(onCall),
      swaps: swaps.filter(({ team }) => team === id).map(({ team: _, ...swap }) => swap),
      turns: turns.map(({ person, insteadOf, from, until }) => ({
        from,
        until,
        personId: person,
        name: nameOf(person),
        insteadOf: insteadOf === null ? null : nameOf(insteadOf),
      })),
    }
  })
}

/** Teams are everybody’s. @throws ProblemError not-allowed */
function requireAll(viewer: Viewer): void {
  if (!mayChangeAll(viewer)) throw new ProblemError('not-allowed', 'Teams are changed by a lead of all clients.')
}

/** @throws ProblemError no-such-team */
async function takeTeam(tx: Db, id: number): Promise<TeamRow> {
  const team = await firstRow<TeamRow>(
    tx,
    'select id, name from team where id = $1 and removed_at is null for update',
    [id],
  )
  if (!team) throw new ProblemError('no-such-team')
  return team
}

/** @throws ProblemError *invalid* where one of them is nobody who can be told */
async function requirePeople(tx: Db, ids: readonly number[], at: string): Promise<void> {
  const found = await rows(
    tx,
    `select id from person where id = any($1) and access <> 'contact' and deactivated_at is null`,
    [ids],
  )
  if (found.length < new Set(ids).size)
    throw new ProblemError('invalid', 'One of these people is not there any more. Choose again.', [
      { at, message: 'somebody is not there' },
    ])
}

/** Whoever is on call for a team is one of it. @throws ProblemError *invalid* */
async function requireMember(tx: Db, teamId: number, personId: number): Promise<void> {
  await requirePeople(tx, [personId], 'personId')
  const member = await firstRow(tx, 'select from team_member where team_id = $1 and person_id = $2', [teamId, personId])
  if (!member)
    throw new ProblemError('invalid', 'Only somebody of the team can be on call for it.', [
      { at: 'personId', message: 'is not in the team' },
    ])
}

const mayGive = (viewer: Viewer) => viewer.access === 'lead' && mayChangeAll(viewer)

async function setMembers(tx: Db, id: number, memberIds: readonly number[]): Promise<void> {
  await requirePeople(tx, memberIds, 'memberIds')
  await tx.query('delete from team_member where team_id = $1', [id])
  await tx.query('insert into team_member (team_id, person_id) select $1, p from unnest($2::int[]) p', [id, memberIds])
}

const rotationFaults = {
  'no-rule': ['rule', 'is no rule of RFC 5545, such as FREQ=WEEKLY'],
  'too-often': ['rule', 'changes turns more often than once an hour'],
  never: ['rule', 'never comes'],
  'no-zone': ['zone', 'is no name of a time zone, such as Europe/Lisbon'],
  'no-time': ['starts', 'is no date and time of the calendar'],
} as const

/** @throws ProblemError *invalid*, at its field */
function refuseBadRotation(rotation: RotationBody): void {
  let fault: keyof typeof rotationFaults | null
  try {
    fault = rotationFault(rotation)
  } catch (error) {
    if (!(error instanceof RecurrenceError)) throw error
    fault = error.fault
  }
  if (fault === null) return
  const [at, message] = rotationFaults[fault]
  throw new ProblemError('invalid', `The ${at === 'starts' ? 'beginning' : at} ${message}.`, [{ at, message }])
}

const said = (tx: Db) => announce(tx, { topic: 'callouts', clientIds: null, deviceIds: [] })

export function teamRoutes(app: FastifyInstance, pool: Pool): void {
  /** Changes a team, as somebody who may, and has the pages that show it look again. */
  const change = (viewer: Viewer, id: number, work: (tx: Db, team: TeamRow) => Promise<unknown>) =>
    inTransaction(pool, async (tx) => {
      requireAll(viewer)
      const team = await takeTeam(tx, id)
      await work(tx, team)
      said(tx)
      return { id: team.id }
    })
  route(app, {
    method: 'GET',
    url: '/api/teams',
    access: 'technician',
    summary: 'Teams with their members, who is on call, and their turns of the next four weeks',
    answer: teamsSchema,
    handle: ({ viewer }) => teamsOf(pool, viewer, Date.now()),
  })
  route(app, {
    method: 'POST',
    url: '/api/teams',
    access: 'lead',
    summary: 'Add a team',
    answer: madeSchema,
    body: teamBodySchema,
    handle: ({ body, viewer }) =>
      inTransaction(pool, async (tx) => {
        requireAll(viewer)
        const row = await firstRow<{ id: number }>(
          tx,
          'insert into team (name) values ($1) on conflict do nothing returning id',
          [body.name],
        )
        if (!row) throw new ProblemError('already-exists', 'There is a team of this name already.')
        await setMembers(tx, row.id, body.memberIds)
        await audit(tx, { personId: viewer.id, action: 'added', kind: 'team', id: row.id, detail: body })
        said(tx)
        return row
      }),
  })
  route(app, {
    method: 'PUT',
    url: '/api/teams/:id',
    access: 'lead',
    summary: 'Rename a team, change who is in it',
    answer: madeSchema,
    body: teamBodySchema,
    handle: ({ body, viewer, id }) =>
      change(viewer, id(), async (tx, team) => {
        const other = await firstRow(
          tx,
          'select from team where lower(name) = lower($1) and id <> $2 and removed_at is null',
          [body.name, team.id],
        )
        if (other) throw new ProblemError('already-exists', 'There is a team of this name already.')
        const was = await rows<{ id: number }>(
          tx,
          'select person_id as id from team_member where team_id = $1 order by 1',
          [team.id],
        )
        await tx.query('update team set name = $2 where id = $1', [team.id, body.name])
        await setMembers(tx, team.id, body.memberIds)
        await audit(tx, {
          personId: viewer.id,
          action: 'changed',
          kind: 'team',
          id: team.id,
          detail: { ...body, was: { name: team.name, memberIds: was.map((member) => member.id) } },
        })
      }),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/teams/:id',
    access: 'lead',
    summary: 'Remove a team that no call-out rule tells',
    answer: madeSchema,
    handle: ({ viewer, id }) =>
      change(viewer, id(), async (tx, team) => {
        await requireUntold(tx, ['team', 'on-call'], team.id)
        await tx.query('update team set removed_at = now() where id = $1', [team.id])
        await audit(tx, {
          personId: viewer.id,
          action: 'removed',
          kind: 'team',
          id: team.id,
          detail: { name: team.name },
        })
      }),
  })
  route(app, {
    method: 'PUT',
    url: '/api/teams/:id/rotation',
    access: 'lead',
    summary: 'Say who of a team is on call, one after the other (RFC 5545)',
    answer: madeSchema,
    body: rotationBodySchema,
    handle: ({ body, viewer, id }) =>
      change(viewer, id(), async (tx, team) => {
        refuseBadRotation(body)
        await requirePeople(tx, body.turns, 'turns')
        await tx.query(
          `insert into rotation (team_id, starts, zone, rule, turns) values ($1, $2, $3, $4, $5)
           on conflict (team_id) do update set starts = $2, zone = $3, rule = $4, turns = $5`,
          [team.id, body.starts, body.zone, body.rule, body.turns],
        )
        await audit(tx, {
          personId: viewer.id,
          action: 'changed turns of',
          kind: 'team',
          id: team.id,
          detail: { name: team.name, ...body },
        })
      }),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/teams/:id/rotation',
    access: 'lead',
    summary: 'Have a team take no turns any more',
    answer: madeSchema,
    handle: ({ viewer, id }) =>
      change(viewer, id(), async (tx, team) => {
        await tx.query('delete from rotation where team_id = $1', [team.id])
        await audit(tx, {
          personId: viewer.id,
          action: 'ended turns of',
          kind: 'team',
          id: team.id,
          detail: { name: team.name },
        })
      }),
  })
  route(app, {
    method: 'POST',
    url: '/api/teams/:id/swaps',
    access: 'technician',
    summary: 'Have somebody else on call for a time: oneself by anybody, anybody by a lead',
    answer: madeSchema,
    body: swapBodySchema,
    handle: ({ body, viewer, id }) =>
      inTransaction(pool, async (tx) => {
        if (body.personId !== viewer.id && !mayGive(viewer))
          throw new ProblemError('not-allowed', 'You can take over a turn yourself. A lead gives it to somebody else.')
        if (body.until <= body.from || body.until <= Date.now())
          throw new ProblemError('invalid', 'The swap ends before it begins, or is over already.', [
            { at: 'until', message: 'not after the beginning' },
          ])
        const team = await takeTeam(tx, id())
        await requireMember(tx, team.id, body.personId)
        const row = await firstRow<{ id: number }>(
          tx,
          'insert into swap (team_id, person_id, from_at, until_at) values ($1, $2, $3, $4) returning id',
          [team.id, body.personId, time(body.from), time(body.until)],
        )
        await audit(tx, {
          personId: viewer.id,
          action: 'swapped a turn of',
          kind: 'team',
          id: team.id,
          detail: { name: team.name, ...body },
        })
        said(tx)
        return row!
      }),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/swaps/:id',
    access: 'technician',
    summary: 'Take a swap back: one’s own, or any by a lead',
    answer: madeSchema,
    handle: ({ viewer, id }) =>
      inTransaction(pool, async (tx) => {
        const row = await firstRow<{ id: number; team_id: number }>(
          tx,
          'delete from swap where id = $1 and (person_id = $2 or $3) returning id, team_id',
          [id(), viewer.id, mayGive(viewer)],
        )
        if (!row) throw new ProblemError('no-such-team', 'This swap is not there any more, or it is not yours.')
        await audit(tx, { personId: viewer.id, action: 'took a swap back of', kind: 'team', id: row.team_id })
        said(tx)
        return { id: row.id }
      }),
  })
}

/** @throws ProblemError *still-used* where a rule in force tells it */
export async function requireUntold(tx: Db, kinds: readonly string[], id: number): Promise<void> {
  // Before or after whoever saves a rule that tells it, not meanwhile.
  await tx.query('select pg_advisory_xact_lock(40)')
  const rule = await firstRow<{ name: string }>(
    tx,
    `
    select name from callout_rule r where removed_at is null and exists (
      select from jsonb_array_elements(r.rule->'tell' || coalesce(nullif(r.rule->'escalate', 'null')->'tell', '[]')) t
      where t->>'to' = any($1) and (t->>'id')::int = $2)
    limit 1`,
    [kinds, id],
  )
  if (rule) throw new ProblemError('still-used', `The call-out rule “${rule.name}” tells it. Change that rule first.`)
}
