import { setTimeout as wait } from 'node:timers/promises'
import { afterAll, beforeAll, expect, it } from 'vitest'
import type { AlertView, MadeWebhook, PersonListed } from '#contract'
import type { Service } from '#core'
import { StandInMailServer } from '../../../../standins/src/messages/mailServer'
import { StandInReceiver } from '../../../../standins/src/messages/receiver'
import { rows } from '../../db'
import { openVault } from '../../secrets/vault'
import { assignFromLibrary, openHouse, type Agent, type House } from '../../testing/house'
import { Killing } from '../../testing/killing'

// Two processes decide and send from one database; one of them is ended with SIGKILL again and again.
const mail = new StandInMailServer()
const receiver = new StandInReceiver()
let house: House
let killing: Killing
let agents: Agent[]

beforeAll(async () => {
  killing = await Killing.prepare('callouts')
  house = await openHouse('', undefined, { vault: openVault(killing.folder) })
  await assignFromLibrary(house, 'Base server')
  agents = await Promise.all(Array.from({ length: 5 }, (_, i) => house.enrol(house.sites[0], `tm-kill-${i}`)))
  const ok = async <T>(asked: Promise<{ status: number; body: T }>): Promise<T> => {
    const { status, body } = await asked
    expect(status).toBe(200)
    return body
  }
  await ok(
    house.lead('POST', '/api/exceptions', {
      target: { on: 'client', clientId: house.clients[0] },
      watch: 'services',
      values: { hold: 0, 'clear.hold': 0 },
      leftOut: false,
      reason: 'at once',
    }),
  )
  const sender = 'custode@lanternfield.example'
  const port = await mail.open()
  await ok(house.lead('PUT', '/api/ways/mail', { host: '127.0.0.1', port, security: 'none', username: '', sender }))
  await ok(house.lead('PUT', '/api/ways/gathering', { gather: 200, mostAnHour: 1000 }))
  const url = await receiver.open()
  const hook = await ok(house.lead<MadeWebhook>('POST', '/api/webhooks', { name: 'Board', url }))
  const people = await ok(house.lead<PersonListed[]>('GET', '/api/people'))
  await ok(
    house.lead('POST', '/api/callouts', {
      name: 'Services',
      rule: {
        target: { on: 'everyone' },
        severities: ['critical'],
        families: ['service'],
        causes: null,
        hours: '',
        outside: 'later',
        tell: [
          { to: 'person', id: people.find(({ name }) => name === 'Tech')!.id },
          { to: 'webhook', id: hook.id },
        ],
        after: 0,
        again: null,
        escalate: null,
        remindAfter: null,
        sayWell: true,
      },
    }),
  )
}, 180_000)
afterAll(async () => {
  killing.end()
  await house.close()
  await mail.close()
  await receiver.close()
})

/** Services of one machine: a new one begins to fail each round, and is well again a few rounds later. */
const lasts = 3
const services = (round: number): Service[] =>
  Array.from({ length: round + 1 }, (_, i) => ({
    name: `job-${i}`,
    title: '',
    start: 'automatic',
    state: i > round - lasts ? 'stopped' : 'running',
  }))
async function send(agent: Agent, round: number): Promise<void> {
  const report = { ...agent.report(0, { facts: { services: services(round) } }), at: Date.now() }
  await expect.poll(async () => (await agent.send([report])).status, { timeout: 30_000, interval: 50 }).toBe(200)
}

it('with one of them killed a hundred times: each message arrives, and once wherever the other side tells apart', async () => {
  const killed = killing.kill(house.url, 100)
  for (let round = 0; killing.kills < 100; round++) {
    for (const agent of agents) await send(agent, round)
    await wait(400)
  }
  await killed
  const last = Date.now()
  await expect
    .poll(
      async () => {
        const [due] = await rows<{ n: number }>(
          house.pool,
          'select count(*)::int as n from callout_due where due_at < now()',
        )
        const [left] = await rows<{ n: number }>(
          house.pool,
          `select count(*)::int as n from callout_message where state in ('gathering', 'waiting', 'sending')`,
        )
        return due!.n + left!.n
      },
      { timeout: 120_000, interval: 200 },
    )
    .toBe(0)

  const alerts = (
    await Promise.all(
      agents.map(async ({ id }) => (await house.lead<AlertView[]>('GET', `/api/devices/${id}/alerts?limit=500`)).body),
    )
  ).flat()
  expect(alerts.length).toBeGreaterThan(100)

  /** How often each alert was told of by distinct messages. */
  const mails = mail.kept.flatMap(({ text, subject }) =>
    [...text.matchAll(/(New|Well again)[^:]*: (tm-kill-\d): (job-\d+) is stopped/g)].map(([, step, device, job]) =>
      `${step} ${device} ${job} ${subject ? '' : 'without a subject'}`.trim(),
    ),
  )
  const events = new Map(
    receiver.received.map(({ headers, body }) => [String(headers['webhook-id']), JSON.parse(body) as Told]),
  )
  const told = [...events.values()].map(({ type, subject }) => `${type} ${subject}`)
  expect(twice(mails)).toEqual([])
  expect(twice(told)).toEqual([])

  // What lasted long enough to be told was told, by both ways; what was over before it left is on record as that.
  const over = await rows<{ alert_id: number; way: string; step: string; may_have_heard: boolean }>(
    house.pool,
    `select s.alert_id, s.step, m.content is not null as may_have_heard, case when m.webhook_id is null then 'mail' else 'webhook' end as way
     from callout_told t join callout_step s on s.id = t.step_id join callout_message m on m.id = t.message_id
     where t.was_over or m.state = 'dropped'`,
  )
  const wasOver = new Set(over.map(({ alert_id, way, step }) => `${way} ${step} ${alert_id}`))
  // Handed over by a process that was killed: nobody knows whether it arrived, and by then it was over.
  const mayHaveHeard = new Set(
    over.filter((row) => row.may_have_heard).map(({ alert_id, way }) => `${way} ${alert_id}`),
  )
  for (const { id, deviceName, evidence } of alerts) {
    const job = evidence!.text.split(' ')[0]!
    const byMail = mails.includes(`New ${deviceName} ${job}`)
    expect([id, byMail || wasOver.has(`mail tell ${id}`)]).toEqual([id, true])
    const byHook = told.includes(`custode.callout.tell alert/${id}`)
    expect([id, byHook || wasOver.has(`webhook tell ${id}`)]).toEqual([id, true])
    // Nobody hears that something is well again of which they never heard.
    if (!byMail && !mayHaveHeard.has(`mail ${id}`)) expect(mails).not.toContain(`Well again ${deviceName} ${job}`)
  }
  // Most were told: else nothing was tried here.
  expect(mails.filter((text) => text.startsWith('New')).length).toBeGreaterThan(alerts.length / 2)
  expect(Date.now() - last).toBeLessThan(120_000)
}, 900_000)

interface Told {
  type: string
  subject: string
}
const twice = (list: readonly string[]) => list.filter((text, i) => list.indexOf(text) !== i)
