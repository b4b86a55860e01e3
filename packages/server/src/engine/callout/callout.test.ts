import { HTTP } from 'cloudevents'
import { Webhook } from 'standardwebhooks'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import type {
  AlertCallouts,
  AlertView,
  CalloutRehearsal,
  CalloutRuleBody,
  Made,
  MadeWebhook,
  MessageView,
  TeamView,
  Ways,
} from '#contract'
import { hour, minute, type CalloutRule, type Service } from '#core'
import { StandInMailServer } from '../../../../standins/src/messages/mailServer'
import { StandInReceiver } from '../../../../standins/src/messages/receiver'
import { allJobs } from '../../jobs'
import { assignFromLibrary, openHouse, type Agent, type House } from '../../testing/house'

// Alerts that are really raised, mails that are really sent over SMTP and read by a library that did not make them.
let house: House
const mail = new StandInMailServer()
const receiver = new StandInReceiver()
let hookId: number
let secret: string
let tech: number
let leadId: number
let port: number

beforeAll(async () => {
  house = await openHouse()
  await assignFromLibrary(house, 'Base server')
  await ok(
    house.lead('POST', '/api/exceptions', {
      target: { on: 'everyone' },
      watch: 'services',
      values: { hold: 0, 'clear.hold': 0 },
      leftOut: false,
      reason: 'at once',
    }),
  )
  port = await mail.open()
  const url = await receiver.open()
  await ok(house.lead('PUT', '/api/ways/mail', mailTo(port)))
  await ok(house.lead('PUT', '/api/ways/gathering', { gather: 0, mostAnHour: 500 }))
  const hook = await ok(house.lead<MadeWebhook>('POST', '/api/webhooks', { name: 'Board', url }))
  ;[hookId, secret] = [hook.id, hook.secret]
  const people = (await house.lead<{ id: number; name: string }[]>('GET', '/api/people')).body
  tech = people.find(({ name }) => name === 'Tech')!.id
  leadId = people.find(({ name }) => name === 'Lead')!.id
}, 180_000)
afterAll(async () => {
  await house.close()
  await mail.close()
  await receiver.close()
})

const mailTo = (to: number) => ({
  host: '127.0.0.1',
  port: to,
  security: 'none',
  username: '',
  sender: 'custode@lanternfield.example',
})

async function ok<T>(asked: Promise<{ status: number; body: T & { detail?: string } }>): Promise<T> {
  const { status, body } = await asked
  if (status !== 200) throw new Error(`${status} ${body.detail}`)
  return body
}

const everybody = { on: 'everyone' } as const
const ruleOf = (more: Partial<CalloutRule> = {}): CalloutRuleBody['rule'] => ({
  about: 'alerts',
  target: everybody,
  severities: ['warning', 'critical'],
  families: ['service'],
  causes: null,
  hours: '',
  outside: 'later',
  tell: [{ to: 'person', id: tech }],
  after: 0,
  again: 30 * minute,
  escalate: { after: 40 * minute, tell: [{ to: 'leads' }] },
  remindAfter: 24 * hour,
  sayWell: true,
  ...more,
})
const made: number[] = []
async function addRule(more: Partial<CalloutRule> = {}, name = `rule ${made.length}`): Promise<number> {
  const { id } = await ok(house.lead<Made>('POST', '/api/callouts', { name, rule: ruleOf(more) }))
  made.push(id)
  return id
}
beforeEach(async () => {
  for (const id of made.splice(0)) await house.lead('DELETE', `/api/callouts/${id}`)
  await settle()
  mail.mood = receiver.mood = 'well'
  mail.received.length = receiver.received.length = 0
})

/** What the server does by itself, until there is nothing left for it to do now. */
async function settle(now = Date.now()): Promise<void> {
  const jobs = allJobs(house.pool, house.sending)
  for (const name of ['call-outs', 'messages']) await jobs.find((job) => job.name === name)!.work(now)
}
/** As if so much time had passed: all that is on record lies that much further back. */
async function pass(time: number): Promise<void> {
  const back = `interval '${time} milliseconds'`
  for (const [table, columns] of Object.entries({
    alert: ['raised_at', 'committed_at', 'began', 'taken_at', 'hidden_until', 'follow_up_at'],
    alert_entry: ['at', 'known_at'],
    carried_past: ['since'],
    callout_revision: ['saved_at'],
    callout_step: ['at', 'decided_at'],
    callout_message: ['created_at', 'leaves_at', 'next_at', 'sent_at'],
    callout_due: ['due_at'],
    callout_way: ['next_at', 'failing_since'],
    window_occurrence: ['from_at', 'until_at', 'start'],
  }))
    await house.pool.query(
      `update ${table} set ${columns.map((column) => `${column} = ${column} - ${back}`).join(', ')}`,
    )
}

const services = (state: Service['state']) => ({
  facts: { services: [{ name: 'orders', title: '', start: 'automatic' as const, state }] },
})
let count = 0
interface There {
  agent: Agent
  alert: AlertView
  minutes: number
}
async function failing(site = house.sites[0]): Promise<There> {
  const agent = await house.enrol(site, `tm-told-${++count}`)
  await agent.send([agent.report(46, services('stopped'))])
  const [alert] = (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
  expect(alert).toMatchObject({ status: 'open', severity: 'critical' })
  return { agent, alert: alert!, minutes: 46 }
}
async function wellAgain({ agent }: There): Promise<void> {
  await agent.send([agent.report(47, services('running'))])
}
const act = (id: number, what: string, more: object = {}, ask = house.technician) =>
  ok(ask('POST', '/api/alerts/acts', { ids: [id], do: what, text: '', ...more }))
const subjects = () => mail.received.map(({ to, subject }) => `${to[0]!.split('@')[0]}: ${subject}`)

describe('an alert that nobody takes', () => {
  it('is told at once, told again after half an hour, and told to the lead after forty minutes', async () => {
    await addRule()
    const there = await failing()
    await settle()
    expect(subjects()).toEqual([
      `tech: New (critical): ${there.alert.deviceName}: orders is stopped – Tidemill Ferries`,
    ])
    await pass(31 * minute)
    await settle()
    await settle()
    await pass(10 * minute)
    await settle()
    expect(subjects().slice(1)).toEqual([
      `tech: Still not taken (critical): ${there.alert.deviceName}: orders is stopped – Tidemill Ferries`,
      `lead: Nobody took it (critical): ${there.alert.deviceName}: orders is stopped – Tidemill Ferries`,
    ])
  })

  it('says everything that whoever is woken needs, as text and as HTML, with a link to take it', async () => {
    await addRule({}, 'Servers at night')
    const { alert } = await failing()
    await settle()
    const { text, html, headers, from, references } = mail.kept[0]!
    for (const part of [text, html.replaceAll('&amp;', '&')]) {
      for (const fact of [
        'Tidemill Ferries',
        'Harbour',
        alert.deviceName,
        'orders is stopped',
        'critical',
        'Servers at night',
      ])
        expect(part).toContain(fact)
      expect(part).toContain(`https://custode.lanternfield.example/alerts/${alert.id}?do=take`)
      expect(part).toMatch(/every service that should run|service/i)
    }
    expect(from).toBe('custode@lanternfield.example')
    // RFC 3834, section 5.
    expect(headers.get('auto-submitted')).toBe('auto-generated')
    expect(references).toEqual([`<alert-${alert.id}@custode.lanternfield.example>`])
  })

  it('that somebody takes is left in peace, and whoever has it is reminded after a day', async () => {
    await addRule()
    const { alert } = await failing()
    await settle()
    await act(alert.id, 'take')
    await settle()
    await pass(2 * hour)
    await settle()
    expect(subjects()).toHaveLength(1)
    await pass(22 * hour + minute)
    await settle()
    expect(subjects()[1]).toMatch(/^tech: Yours, and untouched/)
  })

  it('well again is said to whoever was told; over before it left, nobody hears of it at all', async () => {
    await addRule()
    const there = await failing()
    await settle()
    await wellAgain(there)
    await settle()
    expect(subjects()[1]).toMatch(/^tech: Well again: /)
    await house.lead('PUT', '/api/ways/gathering', { gather: 60_000, mostAnHour: 500 })
    const brief = await failing()
    await settle()
    await wellAgain(brief)
    await settle()
    await pass(2 * minute)
    await settle()
    await house.lead('PUT', '/api/ways/gathering', { gather: 0, mostAnHour: 500 })
    expect(subjects()).toHaveLength(2)
    const { said } = (await house.lead<AlertCallouts>('GET', `/api/alerts/${brief.alert.id}/callouts`)).body
    expect(said.map(({ step, to }) => [step, to[0]?.wasOver])).toEqual([
      ['well', true],
      ['tell', true],
    ])
  })
})

describe('nobody is told', () => {
  it('while maintenance covers it; at its end they are, with the time that it was so', async () => {
    await addRule()
    const { agent, alert } = await failing()
    await settle()
    const window = await ok(
      house.lead<Made>('POST', '/api/windows', {
        name: 'Work',
        reason: '',
        target: { on: 'devices', deviceIds: [agent.id] },
        subject: { of: 'all' },
        from: null,
        length: hour,
      }),
    )
    await pass(50 * minute)
    await settle()
    expect(subjects()).toHaveLength(1)
    // Its end comes; of half an hour since it was told 31 minutes count by then.
    await pass(41 * minute)
    await settle()
    expect(subjects()[1]).toMatch(/^tech: Still not taken/)
    expect(mail.received[1]!.text).toMatch(/Nobody was told: from .+ to .+: maintenance/)
    const next = (await house.lead<AlertCallouts>('GET', `/api/alerts/${alert.id}/callouts`)).body.next
    expect(next[0]).toMatchObject({ step: 'escalate', to: 'the leads' })
    await house.lead('POST', `/api/windows/${window.id}/end`)
  })

  it('of what another alert carries: a silent device speaks for all that is open on it', async () => {
    await addRule({ families: null, severities: ['notice', 'warning', 'critical'] })
    const { alert } = await failing()
    await house.pool.query(
      `insert into alert (device_id, client_id, watch, instance, severity, status, began, raised_at, evidence, rule)
       select device_id, client_id, 'silence', '', 'critical', 'open', now(), now(), '{"text": "nothing heard"}',
         '{"name": "Silence", "kind": "silence", "sentence": [], "sources": []}' from alert where id = $1`,
      [alert.id],
    )
    await house.pool.query(`update alert set carried_by = (select max(id) from alert) where id = $1`, [alert.id])
    await house.pool.query(
      `insert into alert_entry (alert_id, at, event, detail) select max(id), now(), 'raised', '{"to": "critical"}' from alert`,
    )
    await settle()
    expect(subjects()).toEqual([expect.stringContaining('nothing heard')])
    expect(mail.received[0]!.text).toContain('Carries: 1 other alert')
    await house.pool.query('update alert set carried_by = null where id = $1', [alert.id])
    await pass(2 * minute)
    await settle()
    expect(subjects()[1]).toContain('orders is stopped')
  })

  it('by a rule that is paused; resumed, it tells what is open', async () => {
    const id = await addRule()
    await house.lead('PUT', `/api/callouts/${id}/pause`, { isPaused: true })
    await failing()
    await settle()
    expect(subjects()).toEqual([])
    await house.lead('PUT', `/api/callouts/${id}/pause`, { isPaused: false })
    await settle()
    expect(subjects()).toHaveLength(1)
  })

  it('of what was there before the rule', async () => {
    await failing()
    await settle()
    await pass(minute)
    await addRule()
    await settle()
    expect(subjects()).toEqual([])
  })

  it('of what was there before the rule; that it came back after it they are', async () => {
    const there = await failing()
    await pass(minute)
    await addRule({ escalate: null })
    await settle()
    await pass(31 * minute)
    await settle()
    expect(subjects()).toEqual([])
    await house.pool.query(`update alert set status = 'closed', closed_at = now() where id = $1`, [there.alert.id])
    await house.pool.query(
      `insert into alert_entry (alert_id, at, event, detail) values ($1, now(), 'closed', '{"reason": "cleared"}')`,
      [there.alert.id],
    )
    await settle()
    await house.pool.query(`update alert set status = 'open', closed_at = null where id = $1`, [there.alert.id])
    await house.pool.query(
      `insert into alert_entry (alert_id, at, event, detail) values ($1, now(), 'reopened', '{"to": "critical"}')`,
      [there.alert.id],
    )
    await settle()
    expect(subjects()).toEqual([expect.stringContaining('New (critical)')])
  })

  it('of a client that they may not see: the leads are, in their place', async () => {
    const limited = await house.personWith('technician', [house.clients[1]])
    await addRule({ tell: [{ to: 'person', id: limited.id }], escalate: null })
    await failing()
    await failing(house.sites[1])
    await settle()
    expect(subjects().map((subject) => [subject.split(':')[0]!.split('-')[0], /– (.+)$/.exec(subject)![1]])).toEqual(
      expect.arrayContaining([
        ['lead', 'Tidemill Ferries'],
        ['technician', 'Brindle Bakeries'],
      ]),
    )
    expect(subjects()).toHaveLength(2)
  })
})

describe('a storm', () => {
  it('is one message to each, by client and cause, with counts', async () => {
    await addRule()
    await house.lead('PUT', '/api/ways/gathering', { gather: 30_000, mostAnHour: 500 })
    await failing(house.sites[1])
    for (let i = 0; i < 4; i++) await failing()
    await settle()
    expect(subjects()).toEqual([])
    await pass(minute)
    await settle()
    await house.lead('PUT', '/api/ways/gathering', { gather: 0, mostAnHour: 500 })
    expect(subjects()).toEqual(['tech: 5 alerts at 2 clients: 5 critical'])
    expect(mail.received[0]!.text).toMatch(/Tidemill Ferries\n=+[^]*: 4 alerts/)
  })

  it('beyond so many an hour they are gathered, and the message says so', async () => {
    await addRule({ again: null, escalate: null, sayWell: false })
    await pass(2 * hour)
    await house.lead('PUT', '/api/ways/gathering', { gather: 0, mostAnHour: 3 })
    for (let i = 0; i < 6; i++) {
      await failing()
      await settle()
    }
    expect(subjects()).toHaveLength(3)
    await pass(hour)
    await settle()
    await house.lead('PUT', '/api/ways/gathering', { gather: 0, mostAnHour: 500 })
    expect(subjects()).toHaveLength(4)
    expect(subjects()[3]).toContain('3 alerts at Tidemill Ferries')
    expect(mail.received[3]!.text).toContain('You got 3 messages within an hour')
  })
})

describe('a mail server', () => {
  it('that is away for an hour: what is still so leaves then, as one message that says that it is late', async () => {
    await addRule({ again: null, escalate: null })
    await house.lead('PUT', '/api/ways/mail', mailTo(1))
    const [one, two, over] = [await failing(), await failing(), await failing()]
    await settle()
    await pass(20 * minute)
    const three = await failing()
    await settle()
    await wellAgain(over)
    await settle()
    await pass(40 * minute)
    await house.lead('PUT', '/api/ways/mail', mailTo(port))
    await settle()
    expect(subjects()).toEqual(['tech: 3 alerts at Tidemill Ferries: 3 critical'])
    const { text } = mail.received[0]!
    expect(text).toContain('This is late: mail could not leave since')
    for (const { alert } of [one, two, three]) expect(text).toContain(alert.deviceName)
    expect(text).not.toContain(over.alert.deviceName)
  })

  it('that takes a mail and says nothing: the same mail leaves again, so that a reader keeps one', async () => {
    await addRule({ again: null, escalate: null })
    mail.mood = 'loses-answer'
    await failing()
    await settle()
    mail.mood = 'well'
    await pass(minute)
    await settle()
    expect(mail.received).toHaveLength(2)
    expect(mail.kept).toHaveLength(1)
    expect(mail.received[0]!.text).toBe(mail.received[1]!.text)
  })

  it('that refuses somebody: that message is kept, the others leave, and a lead sends it again by hand', async () => {
    await addRule({ again: null, escalate: null })
    mail.mood = 'refuses'
    await failing()
    await settle()
    mail.mood = 'well'
    await failing()
    await settle()
    expect(subjects()).toHaveLength(1)
    const [failed] = (await house.lead<MessageView[]>('GET', '/api/messages?state=failed')).body
    expect(failed).toMatchObject({ to: 'Tech', way: 'mail', alerts: 1 })
    expect(failed!.answer).toMatch(/550.*is not known here/)
    expect((await house.technician('POST', `/api/messages/${failed!.number}/again`)).status).toBe(403)
    await ok(house.lead('POST', `/api/messages/${failed!.number}/again`))
    await settle()
    expect(subjects()).toHaveLength(2)
  })

  it('that asks to come again is asked again later, and does not hold up the others', async () => {
    await addRule({ again: null, escalate: null })
    mail.mood = 'busy'
    await failing()
    await settle()
    mail.mood = 'well'
    await failing()
    await settle()
    expect(subjects()).toHaveLength(1)
    await pass(2 * minute)
    await settle()
    expect(subjects()).toHaveLength(2)
  })
})

describe('what goes wrong costs only itself', () => {
  it('a message that cannot be put together is kept with the reason, and what is behind it leaves', async () => {
    await addRule({ again: null, escalate: null })
    await failing()
    const jobs = allJobs(house.pool, house.sending)
    await jobs.find(({ name }) => name === 'call-outs')!.work(Date.now())
    await house.pool.query(`update alert set rule = rule || '{"sentence": 7}' where status <> 'closed'`)
    await settle()
    await house.pool.query(`update alert set rule = rule || '{"sentence": []}' where status <> 'closed'`)
    await failing()
    await settle()
    expect(subjects()).toHaveLength(1)
    const [failed] = (await house.lead<MessageView[]>('GET', '/api/messages?state=failed')).body
    expect(failed!.answer).toMatch(/^It could not be put together: /)
    await ok(house.lead('POST', `/api/messages/${failed!.number}/again`))
    await settle()
    expect(subjects()).toHaveLength(2)
  })

  it('a rule that cannot be read tells nobody; the others do', async () => {
    const broken = await addRule({ again: null, escalate: null })
    await addRule({ again: null, escalate: null })
    await house.pool.query(`update callout_revision set rule = rule - 'severities' where id = $1`, [broken])
    await failing()
    await settle()
    expect(subjects()).toHaveLength(1)
    const { rows } = await house.pool.query('select from server_fault where place = $1', [`call-out rule ${broken}`])
    expect(rows).toHaveLength(1)
    await house.pool.query(`update callout_revision set rule = rule || '{"severities": ["critical"]}' where id = $1`, [
      broken,
    ])
  })

  it('a secret that was sealed with another key is said at the way, and nothing is lost', async () => {
    await addRule({ tell: [{ to: 'webhook', id: hookId }], again: null, escalate: null })
    const { rows } = await house.pool.query<{ secret: Buffer }>('select secret from webhook where id = $1', [hookId])
    await house.pool.query(
      `update webhook set secret = '\\x00112233445566778899aabbccddeeff00112233445566778899aabbcc' where id = $1`,
      [hookId],
    )
    await failing()
    await settle()
    const { body } = await house.lead<Ways>('GET', '/api/ways')
    expect(body.webhooks[0]!.answer).toMatch(/^Its secret cannot be opened/)
    await house.pool.query('update webhook set secret = $2 where id = $1', [hookId, rows[0]!.secret])
    await pass(10_000)
    await settle()
    expect(receiver.received).toHaveLength(1)
  })

  it('who may not see a client any more as it leaves does not hear of it; who was deactivated hears nothing', async () => {
    const moved = await house.personWith('technician', null)
    const gone = await house.personWith('technician', null)
    await addRule({
      tell: [
        { to: 'person', id: moved.id },
        { to: 'person', id: gone.id },
      ],
      again: null,
      escalate: null,
    })
    await house.lead('PUT', '/api/ways/gathering', { gather: 60_000, mostAnHour: 500 })
    await failing()
    await failing(house.sites[1])
    await settle()
    await house.lead('PUT', `/api/people/${moved.id}`, { clientIds: [house.clients[1]] })
    await house.lead('PUT', `/api/people/${gone.id}`, { active: false })
    await pass(2 * minute)
    await settle()
    await house.lead('PUT', '/api/ways/gathering', { gather: 0, mostAnHour: 500 })
    expect(mail.received.map(({ to }) => to[0])).toEqual([moved.signsInWith.email])
    expect(mail.received[0]!.text).toContain('Brindle Bakeries')
    expect(mail.received[0]!.text).not.toContain('Tidemill')
  })

  it('turns that count too long by now: the whole team is told', async () => {
    const { id: team } = await ok(house.lead<Made>('POST', '/api/teams', { name: 'Hourly', memberIds: [tech] }))
    await house.pool.query(
      `insert into rotation values ($1, '1902-01-01T00:00:00', 'UTC', 'FREQ=HOURLY', array[$2::int])`,
      [team, leadId],
    )
    await addRule({ tell: [{ to: 'on-call', id: team }], again: null, escalate: null })
    await failing()
    await settle()
    expect(subjects()).toHaveLength(1)
    expect((await house.lead('GET', '/api/teams')).status).toBe(200)
  })

  it('a round that fails tells why, and gives its connection back', async () => {
    await addRule({ again: null, escalate: null })
    await failing()
    await house.pool.query(
      `create function away() returns trigger language plpgsql as $$ begin raise exception 'of a test' using errcode = '40001'; end $$`,
    )
    await house.pool.query('create trigger away before update on callout_way for each row execute function away()')
    await expect(settle()).rejects.toThrow('of a test')
    await house.pool.query('drop function away cascade')
    await settle()
    expect(mail.kept).toHaveLength(1)
  })

  it('after a time in which no server ran nobody is told again ten times in a row', async () => {
    await addRule({ escalate: null })
    await failing()
    await settle()
    await pass(5 * hour + 5 * minute)
    await settle()
    await settle()
    expect(subjects()).toHaveLength(2)
    await pass(26 * minute)
    await settle()
    expect(subjects()).toHaveLength(3)
  })
})

describe('a webhook', () => {
  it('gets each step as a CloudEvent, signed so that another library accepts it', async () => {
    await addRule({ tell: [{ to: 'webhook', id: hookId }] })
    const { alert } = await failing()
    await settle()
    const { headers, body } = receiver.received[0]!
    const event = HTTP.toEvent({ headers, body }) as {
      id: string
      type: string
      subject: string
      source: string
      data: object
    }
    expect(event).toMatchObject({
      type: 'custode.callout.tell',
      subject: `alert/${alert.id}`,
      source: 'https://custode.lanternfield.example',
      data: { severity: 'critical', device: alert.deviceName, client: 'Tidemill Ferries' },
    })
    expect(() => new Webhook(secret).verify(body, headers as Record<string, string>)).not.toThrow()
    expect(() => new Webhook(secret).verify(`${body} `, headers as Record<string, string>)).toThrow()
    expect(headers['webhook-id']).toBe(event.id)
  })

  it('that fails is asked again with the same event, later each time', async () => {
    await addRule({ tell: [{ to: 'webhook', id: hookId }], again: null, escalate: null })
    receiver.mood = 'fails'
    await failing()
    await settle()
    await settle()
    expect(receiver.received).toHaveLength(1)
    receiver.mood = 'well'
    await pass(10_000)
    await settle()
    expect(receiver.received).toHaveLength(2)
    expect(new Set(receiver.received.map(({ headers }) => headers['webhook-id']))).toHaveProperty('size', 1)
    expect(receiver.received[0]!.body).toBe(receiver.received[1]!.body)
  })

  it('that is gone: the event is kept, to be sent again by hand, and the way is shown as failing', async () => {
    await addRule({ tell: [{ to: 'webhook', id: hookId }], again: null, escalate: null })
    receiver.mood = 'gone'
    await failing()
    await settle()
    const { body: ways } = await house.lead<{
      webhooks: { failingSince: number | null; failed: number; answer: string }[]
    }>('GET', '/api/ways')
    expect(ways.webhooks[0]).toMatchObject({ failed: 1, answer: expect.stringContaining('410') })
    expect(ways.webhooks[0]!.failingSince).not.toBeNull()
    const [failed] = (await house.lead<MessageView[]>('GET', '/api/messages?state=failed')).body
    receiver.mood = 'well'
    await ok(house.lead('POST', `/api/messages/${failed!.number}/again`))
    await settle()
    expect(receiver.received).toHaveLength(2)
  })

  it('that stalls does not keep mail from leaving', async () => {
    await addRule({
      tell: [
        { to: 'webhook', id: hookId },
        { to: 'person', id: tech },
      ],
      again: null,
      escalate: null,
    })
    receiver.mood = 'stalls'
    await failing()
    const jobs = allJobs(house.pool, house.sending)
    await jobs.find(({ name }) => name === 'call-outs')!.work(Date.now())
    const sending = jobs.find(({ name }) => name === 'messages')!.work(Date.now())
    await expect.poll(() => subjects().length, { timeout: 5000 }).toBe(1)
    await receiver.close()
    await sending
    receiver.mood = 'well'
    const url = await receiver.open()
    await ok(house.lead('PUT', `/api/webhooks/${hookId}`, { name: 'Board', url }))
    await settle()
    expect(receiver.received.length).toBeGreaterThan(1)
  })
})

describe('a team', () => {
  it('is told as it can be reached: who is on call, or all; not who is away, unless there is nobody else', async () => {
    const colleague = await house.personWith('technician', null)
    const { id: team } = await ok(
      house.lead<Made>('POST', '/api/teams', { name: 'Servers', memberIds: [tech, colleague.id] }),
    )
    await addRule({ tell: [{ to: 'team', id: team }], again: null, escalate: null }, 'all of them')
    await failing()
    await settle()
    expect(
      subjects()
        .map((subject) => subject.slice(0, 4))
        .sort(),
    ).toEqual(['tech', 'tech'])
    await ok(
      house.technician('PUT', '/api/session/reach', {
        mailTo: 'night@lanternfield.example',
        hours: '',
        zone: null,
        awayUntil: Date.now() + hour,
        digestAt: null,
      }),
    )
    await failing()
    await settle()
    expect(mail.received[2]!.to[0]).toBe(colleague.signsInWith.email)
    expect(mail.received).toHaveLength(3)
    await ok(
      colleague.ask('PUT', '/api/session/reach', {
        mailTo: null,
        hours: '',
        zone: null,
        awayUntil: Date.now() + hour,
        digestAt: null,
      }),
    )
    await failing()
    await settle()
    expect(
      mail.received
        .slice(3)
        .map(({ to }) => to[0])
        .sort(),
    ).toEqual(['night@lanternfield.example', colleague.signsInWith.email].sort())
    await house.technician('PUT', '/api/session/reach', {
      mailTo: null,
      hours: '',
      zone: null,
      awayUntil: null,
      digestAt: null,
    })
    await colleague.ask('PUT', '/api/session/reach', {
      mailTo: null,
      hours: '',
      zone: null,
      awayUntil: null,
      digestAt: null,
    })
  })

  it('takes turns; a swap is for its time, and a rule keeps its team from being removed', async () => {
    const { id: team } = await ok(house.lead<Made>('POST', '/api/teams', { name: 'Night', memberIds: [tech, leadId] }))
    await ok(
      house.lead('PUT', `/api/teams/${team}/rotation`, {
        starts: '2026-01-05T09:00:00',
        zone: 'Europe/Lisbon',
        rule: 'FREQ=WEEKLY',
        turns: [leadId],
      }),
    )
    const id = await addRule({ tell: [{ to: 'on-call', id: team }], again: null, escalate: null })
    await failing()
    await settle()
    expect(subjects()[0]).toMatch(/^lead: /)
    await ok(
      house.technician('POST', `/api/teams/${team}/swaps`, {
        personId: tech,
        from: Date.now() - 1,
        until: Date.now() + hour,
      }),
    )
    await failing()
    await settle()
    expect(subjects()[1]).toMatch(/^tech: /)
    const night = (await house.lead<TeamView[]>('GET', '/api/teams')).body.find(({ name }) => name === 'Night')!
    expect(night.onCall).toBe('Tech')
    expect(night.turns[0]).toMatchObject({ name: 'Tech', insteadOf: 'Lead' })
    expect((await house.lead('DELETE', `/api/teams/${team}`)).body.code).toBe('still-used')
    await house.lead('DELETE', `/api/callouts/${id}`)
    await ok(house.lead('DELETE', `/api/teams/${team}`))
  })
})

describe('what is on record of some days', () => {
  it('worked out anew by a rehearsal is what was said then, alert for alert', async () => {
    // Of these two alone: what is listed of a rehearsal are the newest moments.
    const target: CalloutRule['target'] = {
      on: 'any',
      of: [1, 2].map((n) => ({ on: 'name', pattern: `tm-told-${count + n}` })),
    }
    const ruleId = await addRule({ target })
    const run = async (minutes: number) => {
      // No longer than what is said again is apart: a server that runs says each.
      for (let left = minutes; left > 0; left -= 20) {
        await pass(Math.min(20, left) * minute)
        await settle()
      }
    }
    const first = await failing()
    await settle()
    await run(10)
    const second = await failing(house.sites[1])
    await settle()
    await run(5)
    await act(second.alert.id, 'take')
    await run(60)
    await act(first.alert.id, 'take')
    await run(100)
    await wellAgain(second)
    await settle()
    await run(25 * 60)
    await act(first.alert.id, 'close', { text: 'given up' }, house.lead)
    await run(40)
    const { rows: steps } = await house.pool.query<{ alert_id: number; step: string }>(
      'select alert_id, step from callout_step where rule_id = $1 order by alert_id, at, id',
      [ruleId],
    )
    const said = steps.map(({ alert_id, step }) => `${alert_id} ${step}`)
    const [one, two] = [first.alert.id, second.alert.id]
    expect(said).toEqual([
      ...['tell', 'again', 'escalate', 'again', 'untouched'].map((step) => `${one} ${step}`),
      ...['tell', 'well'].map((step) => `${two} ${step}`),
    ])
    const { body } = await house.lead<CalloutRehearsal>('POST', '/api/callouts/rehearsal', {
      name: 'the same',
      rule: ruleOf({ target }),
    })
    const worked = body.moments
      .filter(({ alertId }) => alertId === one || alertId === two)
      .toSorted((a, b) => a.alertId! - b.alertId! || a.at - b.at)
      .map(({ alertId, step }) => `${alertId} ${step}`)
    expect(worked).toEqual(said)
  })
})

describe('a way that fails', () => {
  it('is told to the leads by another way, once each time that it begins', async () => {
    const fail = (way: string) =>
      house.pool.query(
        `update callout_way set failing_since = now() - interval '16 minutes', answer = 'no route', next_at = now() where way = $1`,
        [way],
      )
    const look = async () => {
      await allJobs(house.pool, house.sending)
        .find(({ name }) => name === 'failing ways')!
        .work(Date.now())
      await settle()
    }
    await fail(`webhook ${hookId}`)
    await look()
    expect(mail.received.map(({ to, subject }) => `${to.join()} ${subject}`)).toEqual([
      'lead@lanternfield.example Custode cannot tell Board',
    ])
    await look()
    expect(mail.received).toHaveLength(1)
    // It works again, and fails once more.
    await house.pool.query(`update callout_way set failing_since = null where way = $1`, [`webhook ${hookId}`])
    await look()
    await fail(`webhook ${hookId}`)
    await look()
    expect(mail.received).toHaveLength(2)
    await house.pool.query(`update callout_way set failing_since = null where way = $1`, [`webhook ${hookId}`])
    await fail('mail')
    await look()
    const event = JSON.parse(receiver.received.at(-1)!.body) as { type: string; data: { answer: string } }
    expect([event.type, event.data.answer]).toEqual(['custode.house.mail-fails', 'no route'])
    await house.pool.query('update callout_way set failing_since = null, told_at = null')
  })
})

describe('a summary in the morning', () => {
  const morning = (more: object = {}) => {
    const now = new Date()
    return {
      mailTo: null,
      hours: '',
      zone: 'UTC',
      awayUntil: null,
      digestAt: now.getUTCHours() * 60 + now.getUTCMinutes(),
      ...more,
    }
  }
  const digests = async () => {
    await allJobs(house.pool, house.sending)
      .find(({ name }) => name === 'digests')!
      .work(Date.now())
    await settle()
  }

  it('tells what is open at the clients that somebody sees, once a day', async () => {
    const there = await failing()
    const limited = await house.personWith('technician', [house.clients[1]])
    await ok(house.technician('PUT', '/api/session/reach', morning()))
    await ok(limited.ask('PUT', '/api/session/reach', morning()))
    await digests()
    await digests()
    expect(mail.received.map(({ to }) => to[0]!.split('@')[0]!.split('-')[0]).sort()).toEqual(['tech', 'technician'])
    const [own, theirs] = ['tech@lanternfield.example', limited.signsInWith.email].map((address) =>
      mail.received.find(({ to }) => to[0] === address)!,
    )
    expect(own!.subject).toMatch(/^This morning: \d+ open alerts, \d+ critical$/)
    expect(own!.text).toContain(`critical: ${there.alert.deviceName}: orders is stopped – Tidemill Ferries`)
    expect(theirs!.text).not.toContain('Tidemill')
  })

  it('is not sent to who is away, and not in the afternoon for a morning that was missed', async () => {
    const away = await house.personWith('technician', null)
    await ok(away.ask('PUT', '/api/session/reach', morning({ awayUntil: Date.now() + hour })))
    const late = await house.personWith('technician', null)
    const minutes = new Date(Date.now() - 4 * hour)
    await ok(
      late.ask(
        'PUT',
        '/api/session/reach',
        morning({ digestAt: minutes.getUTCHours() * 60 + minutes.getUTCMinutes() }),
      ),
    )
    await digests()
    expect(mail.received).toEqual([])
  })
})
