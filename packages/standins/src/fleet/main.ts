import { existsSync, readFileSync } from 'node:fs'
import { writeWhole } from '#files'
import { setTimeout as wait } from 'node:timers/promises'
import { Pool } from 'undici'
import { hour, minute, type Millis } from '#core'
import { seed, wantedEstate } from '../estate'
import { startPanel } from './panel'
import { historyHours, SimulatedDevice } from './simulated'
import { Station, type Identity } from './station'

interface Kept {
  historyEnd: Millis
  identities: Record<string, Identity>
}

const [serverUrl, stateFile] = process.argv.slice(2)
if (!serverUrl || !stateFile)
  throw new Error('usage: fleet SERVER STATE-FILE, with CUSTODE_FLEET_KEYS in the environment at the first start')
const server = new Pool(serverUrl, { connections: 12 })
const patience = new Pool(serverUrl)
const history = Number(process.env.CUSTODE_HISTORY_HOURS ?? historyHours) * hour
/** So much of it minute by minute, as it would have come; what is older in wider steps: a first start is quick. */
const fine = 30 * hour
const coarseStep = 5 * minute

const kept: Kept = existsSync(stateFile)
  ? (JSON.parse(readFileSync(stateFile, 'utf8')) as Kept)
  : { historyEnd: Date.now(), identities: {} }
const stations = wantedEstate(Object.keys(kept.identities).length).devices.map(
  (plan) =>
    new Station(new SimulatedDevice(plan, seed, kept.historyEnd), server, patience, kept.identities[plan.name] ?? null),
)

function save(): void {
  for (const station of stations) if (station.identity) kept.identities[station.device.plan.name] = station.identity
  // The numbers of reports that were not acknowledged come again after a restart: the server takes the first and drops
  // the second.
  writeWhole(stateFile!, JSON.stringify(kept))
}

function historyTimes(): { at: Millis; step: Millis }[] {
  const times: { at: Millis; step: Millis }[] = []
  for (let at = kept.historyEnd - history; at < kept.historyEnd;) {
    const step = kept.historyEnd - at > fine ? coarseStep : minute
    times.push({ at, step })
    at += step
  }
  return times
}

/** Two weeks of a real estate would come over two weeks; this brings its past in one go, marked late by the server. */
async function bringHistory(): Promise<void> {
  const keys = JSON.parse(process.env.CUSTODE_FLEET_KEYS ?? '{}') as Record<string, string>
  const fresh = stations.filter((station) => !station.identity)
  for (const station of fresh) {
    const { plan } = station.device
    await station.enrol(keys[`${plan.client}/${plan.site}/${plan.kind}/${plan.roles.join('+')}`] ?? '')
  }
  save()
  const times = historyTimes()
  // As many as an agent sends at once, after it was away.
  const chunk = 120
  let [brought, shown] = [0, 0]
  // Each for itself: while the server takes what one reported, another makes up its next.
  await Promise.all(
    fresh.map(async (station) => {
      for (let i = 0; i < times.length; i += chunk) {
        const part = times.slice(i, i + chunk)
        for (const { at, step } of part) station.observe(at, step)
        await station.send()
        brought += part.length
        const percent = Math.round((100 * brought) / (times.length * fresh.length))
        if (percent > shown) process.stdout.write(`history ${(shown = percent)}\n`)
      }
    }),
  )
  save()
}

let stopping = false
async function report(station: Station, first: number): Promise<void> {
  await wait(first)
  while (!stopping) {
    const interval = station.identity!.interval
    station.observe(Date.now(), interval)
    // The server may be away: what waits is sent with the next report.
    await station.send().catch(() => undefined)
    await wait(interval)
  }
}

/** Each has a connection of its own open while it waits; those for reports are not taken by them. */
async function awaitChange(station: Station, first: number): Promise<void> {
  await wait(first)
  while (!stopping) {
    const began = Date.now()
    await station.awaitChange().catch(() => undefined)
    // An answer at once means that there was something to follow; then the next call is its confirmation.
    if (Date.now() - began < 50) await wait(2000)
  }
}

await bringHistory()
const panel = startPanel(stations, Number(process.env.CUSTODE_PANEL_PORT ?? 7701))
process.stdout.write('ready\n')
stations.forEach((station, i) => {
  void report(station, (i / stations.length) * station.identity!.interval)
  void awaitChange(station, (i / stations.length) * 2000)
})
const saving = setInterval(save, 2000)

function stop(): void {
  stopping = true
  clearInterval(saving)
  save()
  panel.close()
  process.exit(0)
}
process.on('SIGTERM', stop)
process.on('SIGINT', stop)
