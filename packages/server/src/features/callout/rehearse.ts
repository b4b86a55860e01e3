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
  type CalloutStep,
  type CalloutStepKind,
  type DeviceId,
  type Millis,
  type Recipient,
} from '#core'
import { rows, time, type Db } from '../../db'
import { addressees, calloutSettings, readRoll, readStories, type Roll, type ToldAlert } from '../../engine'
import { ofClients, type Viewer } from '../access'
import { allTraits } from '../estate'
import { readEstate } from '../policy'
import { calloutNames } from './names'

const lookedBack: Millis = 14 * day
const listed = 200
/** So many alerts are read at once. */
const atOnce = 500
const night = readHours('22:00–06:00')!

/** An alert’s name and place, for whoever reads what would have been told. */
interface Named {
  id: number
  about: string
  deviceName: string
  clientName: string
}

interface Said {
  step: CalloutStep
  alert: ToldAlert
  to: Told[]
}

/**
 * What a rule would have sent of the last fortnight’s alerts, by the very function that decides live. People count as
 * they can be reached now.
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
  for await (const group of alertsSince(db, viewer, rule, from)) {
    for (const alert of group) {
      if (!calloutConcerns(rule, alert.about)) continue
      alerts++
      const { steps } = planCallout(rule, alert.story, now)
      if (steps.length) told++
      for (const step of steps) said.push({ step, alert, to: whoIsTold(roll, names, rule, step, alert) })
    }
  }
  said.sort((a, b) => b.step.at - a.step.at)
  const shown = said.slice(0, listed)
  const named = await namesOf(
    db,
    shown.map(({ alert }) => alert.id),
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
    moments: shown.map(({ step, alert, to }): CalloutMoment => {
      const { about, deviceName, clientName } = named.get(alert.id)!
      return {
        at: step.at,
        step: step.step,
        severity: step.severity,
        alertId: alert.id,
        about,
        deviceName,
        clientName,
        zone: alert.story.zone,
        to: to.map(({ name }) => name).join(', '),
      }
    }),
    left: said.length - shown.length,
  }
}

async function* alertsSince(db: Db, viewer: Viewer, rule: CalloutRule, from: Millis): AsyncGenerator<ToldAlert[]> {
  const found = await rows<{ id: number; device_id: DeviceId | null }>(
    db,
    `select id, device_id from alert where raised_at >= $1 and ${ofClients('client_id', 2)}
       and ($3::int is null or client_id = $3) order by id`,
    [time(from), viewer.clientIds, rule.clientId],
  )
  const match = matcher(rule.target)
  const reached = new Set((await allTraits(db, [rule.target])).filter(match).map(({ id }) => id))
  const ids = found.filter(({ device_id }) => device_id === null || reached.has(device_id)).map(({ id }) => id)
  for (let i = 0; i < ids.length; i += atOnce) yield readStories(db, ids.slice(i, i + atOnce), [rule.target], false)
}

interface Told {
  key: string
  name: string
  isPerson: boolean
}

function whoIsTold(
  roll: Roll,
  names: CalloutNames,
  rule: CalloutRule,
  { step, holder, at }: CalloutStep,
  { about }: ToldAlert,
): Told[] {
  const holders: readonly Recipient[] = holder === null ? [] : [{ to: 'person', id: holder }]
  const meant = step === 'escalate' ? (rule.escalate?.tell ?? []) : step === 'untouched' ? holders : rule.tell
  return addressees(roll, meant, about.clientId, at).map((to): Told => {
    const isPerson = 'person' in to
    const recipient: Recipient = isPerson ? { to: 'person', id: to.person } : { to: 'webhook', id: to.webhook }
    return { key: JSON.stringify(recipient), name: recipientText(recipient, names), isPerson }
  })
}

async function namesOf(db: Db, ids: readonly number[]): Promise<Map<number, Named>> {
  const found = await rows<Named>(
    db,
    `
    select a.id, coalesce(nullif(a.evidence->>'text', ''), a.rule->>'name') as about, coalesce(d.name, s.name) as "deviceName",
      c.name as "clientName"
    from alert a left join device d on d.id = a.device_id left join site s on s.id = a.site_id
    join client c on c.id = a.client_id where a.id = any($1)`,
    [ids],
  )
  return new Map(found.map((row) => [row.id, row]))
}

/** Messages of each recipient: what a person is told within a short time is one. */
function counted(said: readonly Said[], gather: Millis): CalloutRehearsal['recipients'] {
  const byRecipient = new Map<string, { told: Told; times: { at: Millis; zone: string }[] }>()
  // The oldest first.
  for (const { step, alert, to } of said.toReversed())
    for (const told of to) {
      const times = byRecipient.get(told.key)?.times ?? []
      const last = times.at(-1)
      if (!told.isPerson || !last || step.at - last.at > gather) times.push({ at: step.at, zone: alert.story.zone })
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
