import { readFileSync } from 'node:fs'
import pg from 'pg'
import { day, groupsBy, hour, minute, type MetricName, type Millis } from '#core'
import { seed, wantedEstate } from '../estate'
import { historyHours, SimulatedDevice } from '../fleet/simulated'
import { fillBacklog } from './backlog'

/**
 * What the stand-in devices read before the oldest report that is taken of an agent, so that there are two weeks of it,
 * and five of what is usual for servers: a file of history for each client, as somebody would bring one.
 */
const [serverUrl, email, password, stateFile, databaseUrl] = process.argv.slice(2)
if (!serverUrl || !stateFile || !databaseUrl)
  throw new Error('usage: older SERVER E-MAIL PASSWORD STATE-FILE-OF-THE-FLEET DATABASE')
const { historyEnd } = JSON.parse(readFileSync(stateFile, 'utf8')) as { historyEnd: Millis }
const step = 10 * minute
const from = Math.floor((historyEnd - 14 * day) / step) * step
const until = historyEnd - historyHours * hour
/** Before that, what tells how a server usually is, as a house keeps it of long ago: a few series, and seldom. */
const usually: ReadonlySet<MetricName> = new Set(['cpu.busy', 'memory.available', 'net.received', 'net.sent'])
const seldom = 30 * minute
const oldest = Math.floor((historyEnd - 35 * day) / seldom) * seldom

const signedIn = await fetch(`${serverUrl}/api/session`, {
  method: 'POST',
  headers: { 'content-type': 'application/json' },
  body: JSON.stringify({ email, password }),
})
const cookie = signedIn.headers.get('set-cookie')?.split(';')[0] ?? ''
const clients = (await (await fetch(`${serverUrl}/api/clients`, { headers: { cookie } })).json()) as {
  id: number
  code: string
}[]
for (const [code, plans] of groupsBy(wantedEstate().devices, ({ client }) => client)) {
  const lines: string[] = []
  for (const plan of plans) {
    const device = new SimulatedDevice(plan, seed, historyEnd)
    if (plan.kind === 'server')
      for (let time = oldest; time < from; time += seldom)
        for (const [metric, instance, value] of device.readings(time))
          if (usually.has(metric)) lines.push(JSON.stringify({ device: plan.name, time, metric, instance, value }))
    for (let time = from; time < until; time += step)
      if (device.reportsAt(time))
        for (const [metric, instance, value] of device.readings(time))
          lines.push(JSON.stringify({ device: plan.name, time, metric, instance, value }))
  }
  const client = clients.find((each) => each.code === code)!
  const answer = await fetch(`${serverUrl}/api/clients/${client.id}/history?file=before.ndjson`, {
    method: 'POST',
    headers: { cookie, 'content-type': 'application/x-ndjson' },
    body: lines.join('\n'),
  })
  if (!answer.ok) throw new Error(`history of ${code}: ${answer.status} ${await answer.text()}`)
  const { taken, refused } = (await answer.json()) as { taken: number; refused: number }
  if (taken !== lines.length || refused) throw new Error(`history of ${code}: ${taken} of ${lines.length} were taken`)
}

// Facts of that time nobody can bring; what updates waited then is put where the server would have noted it.
const db = new pg.Client(databaseUrl)
await db.connect()
try {
  const { rows } = await db.query<{ id: number; name: string }>('select id, name from device')
  const planned = new Map(wantedEstate().devices.map((plan) => [plan.name, plan]))
  const devices = rows.flatMap(({ id, name }): [number, SimulatedDevice][] => {
    const plan = planned.get(name)
    return plan ? [[id, new SimulatedDevice(plan, seed, historyEnd)]] : []
  })
  await fillBacklog(db, new Map(devices), historyEnd)
} finally {
  await db.end()
}
