import type { CalloutMoment, CalloutRehearsal } from '#contract'
import {
  calloutConcerns,
  calloutSentence,
  calloutSteps,
  day,
  hour,
  matcher,
  planCallout,
  recipientText,
  withinHours,
  readHours,
  type CalloutNames,
  type CalloutRule,
  type CalloutSubject,
  type CalloutStep,
  type CalloutStepKind,
  type DeviceId,
  type Millis,
  type Recipient,
} from '#core'
import { rows, time, type Db } from '../../db'
import { addressees, calloutSettings, readRoll, readStories, readSubjects, type Roll, type Told } from '../../engine'
import { ofClients, type Viewer } from '../access'
import { allTraits } from '../estate'
import { readEstate } from '../policy'
import { calloutNames } from './names'

const lookedBack: Millis = 14 * day
const listed = 200
/** So many alerts are read at once. */
const atOnce = 500
const night = readHours('22:00–06:00')!

/** What it was and where, for whoever reads what would have been told. */
interface Named {
  id: number
  about: string
  deviceName: string
  clientName: string
}

interface Said {
  step: CalloutStep
  of: Told
  to: Hearer[]
}

/**
 * What a rule would have sent of the last fortnight’s alerts, or mail, by the very function that decides live. People
 * count as they can be reached now.
 */
export async function rehearseCallout(
  db: Db,
  viewer: Viewer,
  rule: CalloutRule,
  now: Millis,
): Promise<CalloutRehearsal> {
  const from = now - lookedBack
  const estate = await readEstate(db, viewer.clientIds)
  const names = await calloutNames(db, viewer, estate)
  const roll = await readRoll(db)
  const { gather } = await calloutSettings(db)
  const said: Said[] = []
  let alerts = 0
  let told = 0
  const groups = rule.about === 'mail' ? requestsSince(db, viewer, rule, from) : alertsSince(db, viewer, rule, from)
  for await (const group of groups) {
    for (const each of group) {
      if (!calloutConcerns(rule, each.about)) continue
      alerts++
      const { steps } = planCallout(rule, each.story, now)
      if (steps.length) told++
      for (const step of steps) said.push({ step, of: each, to: whoIsTold(roll, names, rule, step, each) })
    }
  }
  said.sort((a, b) => b.step.at - a.step.at)
  const shown = said.slice(0, listed)
  const named = await namesOf(
    db,
    rule.about,
    shown.map(({ of }) => of.id),
  )
  const traits = await allTraits(db, [rule.target])
  const match = matcher(rule.target)
  return {
    from,
    until: now,
    sentence: calloutSentence(rule, names),
    devices: traits.filter(
      (device) => (viewer.clientIds === null || viewer.clientIds.includes(device.clientId)) && match(device),
    ).length,
    alerts,
    told,
    steps: Object.fromEntries(
      calloutSteps.map((kind) => [kind, said.filter(({ step }) => step.step === kind).length]),
    ) as Record<CalloutStepKind, number>,
    recipients: counted(said, gather),
    moments: shown.map(({ step, of: each, to }): CalloutMoment => {
      const { about, deviceName, clientName } = named.get(each.id)!
      return {
        at: step.at,
        step: step.step,
        severity: step.severity,
        alertId: each.of === 'alert' ? each.id : null,
        requestId: each.of === 'request' ? each.id : null,
        about,
        deviceName,
        clientName,
        zone: each.story.zone,
        to: to.map(({ name }) => name).join(', '),
      }
    }),
    left: said.length - shown.length,
  }
}

async function* alertsSince(db: Db, viewer: Viewer, rule: CalloutRule, from: Millis): AsyncGenerator<Told[]> {
  const found = await rows<{ id: number; device_id: DeviceId | null }>(
    db,
    `select id, device_id from alert
     where raised_at >= $1 and close_reason is distinct from 'history' and ${ofClients('client_id', 2)}
       and ($3::int is null or client_id = $3) order by id`,
    [time(from), viewer.clientIds, rule.clientId],
  )
  const match = matcher(rule.target)
  const reached = new Set((await allTraits(db, [rule.target])).filter(match).map(({ id }) => id))
  const ids = found.filter(({ device_id }) => device_id === null || reached.has(device_id)).map(({ id }) => id)
  for (let i = 0; i < ids.length; i += atOnce) yield readStories(db, ids.slice(i, i + atOnce), [rule.target], false)
}

async function* requestsSince(db: Db, viewer: Viewer, rule: CalloutRule, from: Millis): AsyncGenerator<Told[]> {
  const found = await rows<{ id: number }>(
    db,
    `select id from request where came_at >= $1 and ${ofClients('client_id', 2)}
       and ($3::int is null or client_id = $3) order by id`,
    [time(from), viewer.clientIds, rule.clientId],
  )
  for (let i = 0; i < found.length; i += atOnce)
    yield readSubjects(
      db,
      found.slice(i, i + atOnce).map(({ id }) => ({ of: 'request', id })),
      [],
    )
}

interface Hearer {
  key: string
  name: string
  isPerson: boolean
}

function whoIsTold(
  roll: Roll,
  names: CalloutNames,
  rule: CalloutRule,
  { step, holder, at }: CalloutStep,
  { about }: Told,
): Hearer[] {
  const holders: readonly Recipient[] = holder === null ? [] : [{ to: 'person', id: holder }]
  const meant = step === 'escalate' ? (rule.escalate?.tell ?? []) : step === 'untouched' ? holders : rule.tell
  return addressees(roll, meant, about.clientId, at).map((to): Hearer => {
    const isPerson = 'person' in to
    const recipient: Recipient = isPerson ? { to: 'person', id: to.person } : { to: 'webhook', id: to.webhook }
    return { key: JSON.stringify(recipient), name: recipientText(recipient, names), isPerson }
  })
}

async function namesOf(db: Db, of: CalloutSubject, ids: readonly number[]): Promise<Map<number, Named>> {
  const found = await rows<Named>(db, of === 'mail' ? namesOfRequests : namesOfAlerts, [ids])
  return new Map(found.map((row) => [row.id, row]))
}

const namesOfAlerts = `
    select a.id, coalesce(nullif(a.evidence->>'text', ''), a.rule->>'name') as about, coalesce(d.name, s.name) as "deviceName",
      c.name as "clientName"
    from alert a left join device d on d.id = a.device_id left join site s on s.id = a.site_id
    join client c on c.id = a.client_id where a.id = any($1)`
const namesOfRequests = `
    select r.id, r.subject as about, coalesce(nullif(r.from_name, ''), r.from_address) as "deviceName",
      coalesce(c.name, '') as "clientName"
    from request r left join client c on c.id = r.client_id where r.id = any($1)`

/** Messages of each recipient: what a person is told within a short time is one. */
function counted(said: readonly Said[], gather: Millis): CalloutRehearsal['recipients'] {
  const byRecipient = new Map<string, { told: Hearer; times: { at: Millis; zone: string }[] }>()
  // The oldest first.
  for (const { step, of: each, to } of said.toReversed())
    for (const told of to) {
      const times = byRecipient.get(told.key)?.times ?? []
      const last = times.at(-1)
      if (!told.isPerson || !last || step.at - last.at > gather) times.push({ at: step.at, zone: each.story.zone })
      byRecipient.set(told.key, { told, times })
    }
  return [...byRecipient.values()]
    .map(({ told, times }) => ({
      name: told.name,
      messages: times.length,
      atNight: times.filter(({ at, zone }) => withinHours(night, at, zone)).length,
      mostAnHour: mostWithin(
        times.map(({ at }) => at),
        hour,
      ),
    }))
    .toSorted((a, b) => b.messages - a.messages || (a.name < b.name ? -1 : 1))
}

/** The most of some times, in order, that lie within a length of each other. */
function mostWithin(times: readonly Millis[], length: Millis): number {
  let most = 0
  let first = 0
  for (const [i, at] of times.entries()) {
    while (at - times[first]! >= length) first++
    most = Math.max(most, i - first + 1)
  }
  return most
}
