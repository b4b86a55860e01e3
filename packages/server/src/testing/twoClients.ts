import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { AlertView } from '#contract'
import type { Facts } from '#core'
import { firstRow } from '../db'
import { takeMail } from '../engine'
import { newKey, assignFromLibrary, openHouse, type Agent, type Caller, type House } from './house'

export type Method = 'GET' | 'POST' | 'PUT' | 'DELETE'

/** A house with one of everything at its first client, and people who may see the second one only. */
export interface TwoClients {
  house: House
  /** Numbers of things, by name: those of the second client begin with `own`. */
  id: Record<string, number>
  device: Agent
  own: Agent
  limited: Record<'lead' | 'technician' | 'contact', { id: number; ask: Caller }>
  close(): Promise<void>
}

/** All that belongs to the first client is called Tidemill, Harbour, tm-…: a single word of it tells of it. */
export const theirs = /tidemill|harbour|\btm-/i

export async function openTwoClients(): Promise<TwoClients> {
  const folder = mkdtempSync(join(tmpdir(), 'custode-limits-'))
  mkdirSync(join(folder, 'releases/9.9.9'), { recursive: true })
  writeFileSync(join(folder, 'releases/9.9.9/custode-agent-linux-x64.gz'), 'program')
  writeFileSync(
    join(folder, 'releases/9.9.9/custode-agent-linux-x64.gz.signed'),
    JSON.stringify({ text: '{}', signature: '' }),
  )
  const house = await openHouse(folder)
  const {
    lead,
    pool,
    clients: [one, two],
    sites: [site, ownSite],
  } = house
  const made = async (path: string, body: unknown) => {
    const answer = await lead<{ id: number }>('POST', path, body)
    if (answer.status !== 200) throw new Error(`${path}: ${answer.body.detail}`)
    return answer.body.id
  }
  const id: Record<string, number> = {
    one,
    two,
    site,
    ownSite,
    template: await assignFromLibrary(house, 'Base server'),
  }
  await lead('PUT', `/api/sites/${site}/networks`, { networks: ['192.0.2.0/24'] })
  await lead('PUT', `/api/clients/${one}`, { notes: 'Tidemill opens at six.' })
  await lead('PUT', `/api/sites/${ownSite}/networks`, { networks: ['198.51.100.0/24'] })
  const device = await house.enrol(site, 'tm-secret-1', { roles: ['web'] })
  const own = await house.enrol(ownSite, 'bb-open-1', { roles: ['web'] })
  const retired = await house.enrol(site, 'tm-old-1')
  await lead('POST', `/api/devices/${retired.id}/retire`)
  Object.assign(id, { device: device.id, own: own.id, retired: retired.id })
  const stopped = (name: string): Facts => ({
    logs: [{ name: 'nginx/error.log', collected: false }],
    waiting: [{ name: `${name}-update`, security: true, since: Date.now() }],
    services: [
      { name, title: '', start: 'automatic', state: 'stopped' },
      { name: 'nginx', title: '', start: 'automatic', state: 'running' },
    ],
    system: {
      osFamily: 'linux',
      osName: 'Debian 12',
      hostName: name,
      cores: 2,
      agentVersion: '1',
      serviceManager: 'systemd',
      optional: [],
    },
  })
  const events = (agent: Agent) => [
    {
      at: agent.at(2),
      channel: 'syslog',
      source: 'tidemill-log',
      id: null,
      level: 'error' as const,
      text: 'tidemill entry',
    },
  ]
  await device.send([
    device.report(1, { facts: stopped('tm-orders') }),
    device.report(2, { events: events(device) }),
    device.report(3, { top: { took: 1, processes: [{ name: 'tm-orders', cpu: 0.9, memory: 1e9, count: 1 }] } }),
  ])
  await own.send([own.report(1, { facts: stopped('bb-orders') }), own.report(2), own.report(3)])
  await pool.query(
    `update device set takes_tasks = true, updatable = true, addresses = '{192.0.2.10}', version = version + 1
     where id = any($1)`,
    [[device.id, own.id]],
  )
  await pool.query(
    `with task as (
       insert into device_task (device_id, command, expires_at, state)
       values ($1, '{"kind":"read"}', now(), 'over') returning id
     )
     insert into response (device_id, client_id, verb, service, person_id, task_id, at)
     select $1, $2, 'restart', 'tm-orders', (select min(id) from person), id, now() from task`,
    [device.id, one],
  )
  id.alert = (await lead<AlertView[]>('GET', `/api/devices/${device.id}/alerts`)).body[0]!.id
  const now = { from: null, until: null, subject: { of: 'all' } }
  const filled = await lead<{ devices: number }>('POST', '/api/coverage/fill', {
    gaps: [{ need: 'web.certificates', instance: 'certificates' }],
    everywhere: false,
    deviceIds: [device.id],
  })
  if (filled.status !== 200) throw new Error(filled.body.detail)
  id.window = await made('/api/windows', {
    name: 'Tidemill window',
    reason: '',
    target: { on: 'client', clientId: one },
    ...now,
  })
  await made('/api/windows', {
    name: 'Tidemill and Harbour',
    reason: '',
    target: {
      on: 'any',
      of: [
        { on: 'client', clientId: one },
        { on: 'site', siteId: site },
      ],
    },
    ...now,
  })
  await made('/api/windows', {
    name: 'Both clients',
    reason: '',
    target: {
      on: 'any',
      of: [
        { on: 'client', clientId: two },
        { on: 'client', clientId: one },
      ],
    },
    ...now,
  })
  id.shared = await made('/api/windows', { name: 'Window for all', reason: '', target: { on: 'everyone' }, ...now })
  const watch = { watch: 'services', values: { hold: 120_000 }, leftOut: false, reason: 'Tidemill wants it' }
  id.exception = await made('/api/exceptions', { target: { on: 'devices', deviceIds: [device.id] }, ...watch })
  id.assignment = await made('/api/assignments', {
    templateId: id.template,
    target: { on: 'client', clientId: one },
    rank: 50,
    values: {},
    dormant: true,
    reason: 'for Tidemill',
  })
  // Reaches both: it is there for the limited, without the name of the other.
  await made('/api/assignments', {
    templateId: id.template,
    target: {
      on: 'any',
      of: [
        { on: 'client', clientId: two },
        { on: 'client', clientId: one },
      ],
    },
    rank: 60,
    values: {},
    dormant: true,
    reason: 'for both',
  })
  id.key = await made('/api/enrolment-keys', newKey(site, { label: 'Tidemill key', uses: 5 }))
  id.credential = await made('/api/credentials', {
    clientId: one,
    siteId: null,
    name: 'Tidemill root',
    userName: 'tm-root',
    kind: 'password',
    secret: 'of no use',
  })
  id.ownCredential = await made('/api/credentials', {
    clientId: two,
    siteId: null,
    name: 'Brindle root',
    userName: 'root',
    kind: 'password',
    secret: 'of no use',
  })
  id.rule = await made('/api/standing-rules', rule(one, 'Tidemill rule'))
  id.siteRule = await made('/api/standing-rules', {
    ...rule(one, 'Harbour rule'),
    when: { ...rule(one, '').when, siteId: site },
  })
  id.sweep = await made('/api/sweeps', sweep(site, device.id))
  id.plan = await made('/api/sweeps', { ...sweep(site, device.id), rule: 'FREQ=WEEKLY;BYDAY=MO', at: '03:00' })
  id.run = await made('/api/wave-runs', wave(site, device.id, id.credential))
  await pool.query(`insert into host_key (site_id, address, seen) values ($1, '192.0.2.20', 'dG0gaG9zdCBrZXk=')`, [
    site,
  ])
  id.updates = await made('/api/update-runs', {
    version: '9.9.9',
    deviceIds: [device.id],
    waves: [],
    mostFailed: 0,
    minutes: 5,
  })
  id.mixedUpdates = (await firstRow<{ id: number }>(
    pool,
    `insert into update_run (version, minutes, most_failed, waves) values ('9.9.9', 5, 0, 1) returning id`,
  ))!.id
  await pool.query(
    `insert into update_device (run_id, device_id, wave, from_version) select $1, d, 1, '' from unnest($2::int[]) d`,
    [id.mixedUpdates, [device.id, own.id]],
  )
  id.person = (await house.personWith('contact', [one])).id
  await pool.query(`update person set name = 'Tidemill Contact', email = 'someone@tidemill.example' where id = $1`, [
    id.person,
  ])
  await pool.query(`insert into role_finding (device_id, role, evidence) values ($1, 'database', '["tm-evidence"]')`, [
    device.id,
  ])
  await pool.query(
    `insert into coverage_waiver (device_id, need, instance, reason) values ($1, 'tidemill-need', '', 'not at Tidemill')`,
    [device.id],
  )
  id.collecting = (await firstRow<{ id: number }>(
    pool,
    `insert into collect_rule (target, logs, collectors, reason) values ($1, '{tm.log}', '{}', 'Tidemill log')
     returning id`,
    [JSON.stringify({ on: 'devices', deviceIds: [device.id] })],
  ))!.id
  await pool.query(
    `insert into collect_rule (target, logs, collectors, reason) values ($1, '{shared.log}', '{}', 'for both')`,
    [
      JSON.stringify({
        on: 'any',
        of: [
          { on: 'client', clientId: two },
          { on: 'client', clientId: one },
        ],
      }),
    ],
  )
  await pool.query(
    `insert into remediation (device_id, client_id, watch, instance, severity, began, started_at, next_at, rule)
     values ($1, $2, 'services', 'tm-mended', 'warning', now(), now(), now(),
     '{"name":"Tidemill","kind":"service-state","sentence":[],"sources":[]}')`,
    [device.id, one],
  )
  await pool.query(
    `insert into alert (device_id, client_id, watch, instance, severity, status, began, raised_at, closed_at,
     close_reason, rule) select device_id, client_id, watch, 'tm-closed', severity, 'closed', now(), now(),
     now() + interval '1 minute', 'cleared', rule from alert where id = $1`,
    [id.alert],
  )
  await pool.query(
    `insert into alert (device_id, client_id, watch, instance, severity, status, began, raised_at, closed_at,
     close_reason, carried_by, rule) select device_id, client_id, watch, instance, severity, 'closed', now(), now(),
     now(), 'by-hand', case when n = 1 then id end, rule from alert, generate_series(1, 2) n where id = $1`,
    [id.alert],
  )
  await pool.query(
    `insert into remediation (device_id, client_id, watch, instance, severity, began, started_at, next_at, ended_at,
     outcome, rule) select device_id, client_id, watch, 'tm-well', severity, began, started_at, next_at,
     now() + interval '1 minute', 'cleared', rule from remediation where device_id = $1`,
    [device.id],
  )
  // Of their own client, and with something of the other in it: a device that was in it went there since.
  id.ownWindow = await made('/api/windows', {
    name: 'Brindle window',
    reason: '',
    target: { on: 'client', clientId: two },
    ...now,
  })
  const times = await pool.query<{ id: number; start: Date }>(
    'select id, start from window_occurrence where window_id = $1',
    [id.window],
  )
  id.occurrence = times.rows[0]!.id
  id.feed = await made('/api/calendar-feeds', { clientId: one, label: 'Tidemill feed' })
  id.start = Number(times.rows[0]!.start)
  for (const window of [id.window, id.ownWindow])
    await pool.query(
      `insert into held (window_id, occurrence_id, device_id, client_id, watch, instance, severity, began, held_at, rule)
       select window_id, id, $2, $3, 'services', 'tm-held ' || $1, 'warning', now(), now(),
       '{"name":"Tidemill","kind":"service-state","sentence":[],"sources":[]}'
       from window_occurrence where window_id = $1::int`,
      [window, device.id, one],
    )
  id.ownKey = await made('/api/enrolment-keys', newKey(ownSite, { label: 'Brindle key', uses: 5 }))
  await pool.query(
    `insert into enrolment_attempt (key_id, name, os_name, address, clock_offset_ms, outcome, reason, device_id)
     values ($1, 'bb-moved', '', '192.0.2.8', 0, 'enrolled', '', $2)`,
    [id.ownKey, device.id],
  )
  await pool.query(
    `insert into enrolment_attempt (key_id, name, os_name, address, clock_offset_ms, outcome, reason)
     values ($1, 'tm-refused', '', '192.0.2.7', 0, 'refused', 'no')`,
    [id.key],
  )
  id.callout = await made('/api/callouts', { name: 'Tidemill rule', rule: callout({ on: 'client', clientId: one }) })
  id.sharedCallout = await made('/api/callouts', { name: 'Rule for all', rule: callout({ on: 'everyone' }) })
  const theirTechnician = await house.personWith('technician', [one])
  await pool.query(`update person set name = 'Tidemill Technician' where id = $1`, [theirTechnician.id])
  id.team = await made('/api/teams', { name: 'Servers', memberIds: [theirTechnician.id] })
  await lead('PUT', `/api/teams/${id.team}/rotation`, {
    starts: '2026-01-05T09:00:00',
    zone: 'Europe/Lisbon',
    rule: 'FREQ=WEEKLY',
    turns: [theirTechnician.id],
  })
  id.swap = await made(`/api/teams/${id.team}/swaps`, {
    personId: theirTechnician.id,
    from: Date.now(),
    until: Date.now() + 3_600_000,
  })
  id.theirTechnician = theirTechnician.id
  await lead('PUT', '/api/ways/mail', mailWay)
  id.webhook = await made('/api/webhooks', { name: 'Desk', url: 'https://tidemill.example/hook' })
  await pool.query(
    `with step as (insert into callout_step (alert_id, rule_id, revision, step, n, at, severity)
       values ($1, $2, 1, 'tell', 1, now(), 'critical') returning id),
     message as (insert into callout_message (person_id, leaves_at, state) values ($3, now(), 'failed') returning id)
     insert into callout_told select step.id, message.id from step, message`,
    [id.alert, id.callout, theirTechnician.id],
  )
  await lead('PUT', '/api/inbox', { addresses: ['help@lanternfield.example'] })
  id.contact = await made(`/api/clients/${one}/contacts`, { name: 'Bo', email: 'bo@tidemill.example' })
  await house.pool.query(
    `insert into history_load (client_id, person_id, file) select $1, min(id), 'tidemill-of-old.csv' from person`,
    [one],
  )
  const taken = await takeMail(pool, { raw: theirMail('Tidemill asks'), returnPath: 'bo@tidemill.example' }, Date.now())
  id.request = taken.requestId!
  await pool.query(
    `insert into callout_step (request_id, rule_id, revision, step, n, at, severity)
     values ($1, $2, 1, 'tell', 1, now(), 'warning')`,
    [id.request, id.callout],
  )
  id.requestMail = (await firstRow<{ id: number }>(pool, 'select id from request_mail'))!.id
  await takeMail(
    pool,
    { raw: theirMail('Tidemill is away', 'Auto-Submitted: auto-replied'), returnPath: 'x@y' },
    Date.now(),
  )
  id.aside = (await firstRow<{ id: number }>(pool, 'select max(id) as id from request_mail'))!.id
  id.gone = await made('/api/clients', { name: 'Tidemill of old', code: 'tmold' })
  await lead('POST', `/api/clients/${id.gone}/retire`)
  id.token = await made('/api/tokens', { name: 'Desk', scope: 'read', clientIds: null, days: 30 })
  id.message = (await firstRow<{ number: number }>(pool, 'select number from callout_message'))!.number
  // Nobody works out here who looks at what.
  await pool.query(
    `insert into probe (target_id, watch, gap, host) values ($1, 'page', 'nobody', 'tidemill.example')`,
    [device.id],
  )
  await pool.query(`update policy_mark set version = nextval('policy_version')`)
  const limited = {
    lead: await house.personWith('lead', [two]),
    technician: await house.personWith('technician', [two]),
    contact: await house.personWith('contact', [two]),
  }
  return {
    house,
    id,
    device,
    own,
    limited,
    async close() {
      await house.close()
      rmSync(folder, { recursive: true })
    },
  }
}

export const rule = (clientId: number | null, name: string) => ({
  name,
  when: { clientId, siteId: null as number | null, kind: null, osFamily: null, namePattern: null, network: null },
  roles: ['web'],
  tags: [],
  takeDetected: false,
  notify: [],
})
const sweep = (siteId: number, deviceId: number) => ({
  siteId,
  deviceId,
  network: '192.0.2.0/28',
  rule: null as string | null,
  at: null as string | null,
  credentialIds: [] as number[],
})
const wave = (siteId: number, deviceId: number, credentialId: number) => ({
  siteId,
  deviceId,
  name: 'Tidemill wave',
  kind: 'server',
  roles: [],
  tags: [],
  machines: [{ address: '192.0.2.20', name: null }],
  credentialIds: [credentialId],
  waves: [],
  mostFailed: 0,
})
const mailWay = {
  host: '127.0.0.1',
  port: 25,
  security: 'none',
  username: '',
  sender: 'custode@lanternfield.example',
}
const callout = (aTarget: object) => ({
  target: aTarget,
  severities: ['critical'],
  families: null,
  causes: null,
  hours: '',
  outside: 'later',
  tell: [{ to: 'leads' }],
  after: 0,
  again: null,
  escalate: null,
  remindAfter: null,
  sayWell: true,
})
export const target = (...deviceIds: number[]) => ({ on: 'devices', deviceIds })
export const window = (aTarget: object) => ({
  name: 'A window',
  reason: '',
  target: aTarget,
  subject: { of: 'all' },
  from: null,
  until: null,
})
export const exception = (aTarget: object) => ({
  target: aTarget,
  watch: 'services',
  values: { hold: 180_000 },
  leftOut: false,
  reason: 'a reason',
})
export const assignment = (templateId: number, aTarget: object) => ({
  templateId,
  target: aTarget,
  rank: 50,
  values: {},
  dormant: true,
  reason: '',
})
export const person = (clientIds: number[] | null) => ({
  email: `new${Math.random()}@lanternfield.example`,
  name: 'New',
  password: 'correct horse battery',
  access: 'technician',
  clientIds,
})
export const key = (siteId: number | null, clientId: number | null) => newKey(siteId, { clientId })
const notThereYet = 2_000_000

export interface Attempt {
  method: Method
  url: string
  body?: unknown
  /** What whoever sees every client gets for it: proof that the attempt itself is in order. */
  unlimited?: number
}

const theirMail = (subject: string, ...headers: string[]) =>
  Buffer.from(
    [
      'From: Bo <bo@tidemill.example>',
      `Subject: ${subject}`,
      ...headers,
      'Content-Type: multipart/mixed; boundary="b"',
      '',
      '--b',
      '',
      'Tidemill waits.',
      '--b',
      'Content-Type: text/plain',
      'Content-Disposition: attachment; filename="tidemill.txt"',
      '',
      'tidemill',
      '--b--',
    ].join('\r\n'),
  )

/** What the other client’s people wrote, who they are, and how work for it ends. */
function clientAttempts(id: TwoClients['id']): Attempt[] {
  const request = `/api/requests/${id.request}`
  const contact = { name: 'Bo', email: 'bo@tidemill.example' }
  return [
    { method: 'POST', url: '/api/requests', body: { clientId: id.one, subject: 'x' } },
    { method: 'POST', url: `${request}/acts`, body: { do: 'take' } },
    { method: 'POST', url: `${request}/answers`, body: { text: 'hello' } },
    { method: 'PUT', url: `${request}/client`, body: { clientId: id.two } },
    { method: 'PUT', url: `${request}/about`, body: { deviceId: id.own } },
    { method: 'POST', url: `/api/mail-aside/${id.aside}/request` },
    { method: 'PUT', url: '/api/inbox', body: { addresses: ['x@lanternfield.example'] } },
    { method: 'POST', url: `/api/clients/${id.one}/contacts`, body: { ...contact, email: 'bo2@tidemill.example' } },
    // What is no file is refused, once it is known whose history it would be.
    { method: 'POST', url: `/api/clients/${id.one}/history`, body: {}, unlimited: 400 },
    { method: 'PUT', url: `/api/contacts/${id.contact}`, body: contact },
    { method: 'DELETE', url: `/api/contacts/${id.contact}` },
    { method: 'POST', url: `/api/clients/${id.gone}/restore` },
    { method: 'POST', url: `/api/clients/${id.gone}/retire` },
    { method: 'POST', url: `/api/clients/${id.gone}/merge`, body: { into: id.two } },
    { method: 'POST', url: `/api/clients/${id.gone}/delete`, body: { name: 'Tidemill of old' }, unlimited: 404 },
  ]
}

/** Who is told, and how: rules of the other client, and what is the whole house’s. */
function calloutAttempts(id: TwoClients['id']): Attempt[] {
  const ofTheirs = { name: 'x', rule: callout({ on: 'client', clientId: id.one }) }
  const ofAll = { name: 'x', rule: callout({ on: 'everyone' }) }
  const team = `/api/teams/${id.team}`
  const turns = {
    starts: '2026-01-05T09:00:00',
    zone: 'Europe/Lisbon',
    rule: 'FREQ=DAILY',
    turns: [id.theirTechnician],
  }
  const swap = { personId: id.theirTechnician, from: Date.now(), until: Date.now() + 36e5 }
  return [
    { method: 'POST', url: '/api/callouts', body: ofTheirs },
    { method: 'POST', url: '/api/callouts', body: ofAll },
    { method: 'POST', url: '/api/callouts/rehearsal', body: ofTheirs },
    { method: 'PUT', url: `/api/callouts/${id.callout}`, body: ofTheirs },
    { method: 'PUT', url: `/api/callouts/${id.sharedCallout}`, body: ofAll },
    // To their own: the rule is still the other’s.
    {
      method: 'PUT',
      url: `/api/callouts/${id.callout}`,
      body: { name: 'x', rule: callout({ on: 'client', clientId: id.two }) },
    },
    { method: 'PUT', url: `/api/callouts/${id.sharedCallout}/pause`, body: { isPaused: true } },
    { method: 'DELETE', url: `/api/callouts/${id.sharedCallout}` },
    { method: 'POST', url: '/api/teams', body: { name: 'Another', memberIds: [id.theirTechnician] } },
    { method: 'PUT', url: team, body: { name: 'Servers', memberIds: [id.theirTechnician] } },
    { method: 'PUT', url: `${team}/rotation`, body: turns },
    { method: 'POST', url: `${team}/swaps`, body: swap },
    { method: 'DELETE', url: `/api/swaps/${id.swap}` },
    { method: 'DELETE', url: `${team}/rotation` },
    { method: 'DELETE', url: team },
    { method: 'PUT', url: '/api/ways/mail', body: mailWay },
    { method: 'PUT', url: '/api/ways/gathering', body: { gather: 30_000, mostAnHour: 20 } },
    { method: 'POST', url: '/api/ways/mail/test' },
    { method: 'POST', url: '/api/webhooks', body: { name: 'Another', url: 'https://hook.example' } },
    { method: 'PUT', url: `/api/webhooks/${id.webhook}`, body: { name: 'Desk', url: 'http://127.0.0.1:1/' } },
    { method: 'POST', url: `/api/webhooks/${id.webhook}/test` },
    { method: 'POST', url: `/api/messages/${id.message}/again` },
    { method: 'DELETE', url: `/api/webhooks/${id.webhook}` },
    { method: 'DELETE', url: `/api/tokens/${id.token}` },
    { method: 'POST', url: `/api/people/${id.person}/invitation` },
    {
      method: 'PUT',
      url: '/api/house-policy/provider',
      body: {
        name: 'x',
        issuer: 'https://id.example',
        clientId: 'custode',
        scopes: 'openid',
        groupsClaim: 'groups',
        rules: [],
        isOn: false,
      },
    },
    { method: 'PUT', url: '/api/house-policy', body: { secondFactor: 'none', sessionDays: 7, passwordLength: 10 } },
  ]
}

/**
 * Everything that changes something, tried on what is the other client's: by its number, by a number in the body, and
 * by targets that reach further than one may speak for. In this order they succeed for a lead of all.
 */
export function attempts({ id, limited }: TwoClients): Attempt[] {
  const devices = `/api/devices/${id.device}`
  const changes = (of: 'assignment' | 'exception', to: object) => ({
    steps: [{ of, id: -1, basedOn: 0, to: { reviewAt: null, ownerId: undefined, ...to } }],
  })
  const gap = {
    gaps: [{ need: 'web.log.linux', instance: 'nginx/error.log' }],
    everywhere: false,
    deviceIds: [id.device],
  }
  return [
    { method: 'POST', url: `/api/alerts/${id.alert}/take`, body: {} },
    { method: 'POST', url: `/api/alerts/${id.alert}/notes`, body: { text: 'seen' } },
    { method: 'POST', url: `/api/alerts/${id.alert}/give-back`, body: {} },
    { method: 'POST', url: `/api/alerts/${id.alert}/respond`, body: { verb: 'start' }, unlimited: 400 },
    { method: 'POST', url: `${devices}/usual`, body: { metric: 'cpu.busy', instance: '', anew: true }, unlimited: 400 },
    { method: 'POST', url: `${devices}/service-actions`, body: { verb: 'start', service: 'nginx' }, unlimited: 400 },
    { method: 'POST', url: `/api/alerts/${id.alert}/close`, body: { reason: 'known' } },
    { method: 'POST', url: '/api/assignments', body: assignment(id.template!, { on: 'client', clientId: id.one }) },
    { method: 'POST', url: '/api/assignments', body: assignment(id.template!, { on: 'everyone' }) },
    {
      method: 'POST',
      url: '/api/assignments',
      body: assignment(id.template!, {
        on: 'any',
        of: [
          { on: 'client', clientId: id.two },
          { on: 'site', siteId: id.site },
        ],
      }),
    },
    { method: 'DELETE', url: `/api/assignments/${id.assignment}` },
    ...clientAttempts(id),
    ...calloutAttempts(id),
    { method: 'POST', url: '/api/clients', body: { name: 'Another', code: 'an' } },
    { method: 'DELETE', url: `/api/collect-rules/${id.collecting}` },
    { method: 'POST', url: '/api/coverage/preview', body: gap },
    { method: 'POST', url: '/api/coverage/fill', body: gap },
    // Their own gap, by a template that the other client has too: it would get the new watch as well.
    { method: 'POST', url: '/api/coverage/fill', body: { ...gap, deviceIds: [id.own] } },
    { method: 'POST', url: '/api/coverage/fill', body: { ...gap, everywhere: true, deviceIds: [id.own] } },
    {
      method: 'POST',
      url: '/api/coverage/waivers',
      body: { need: 'web.log.linux', instance: 'x', deviceIds: [id.own, id.device], reason: 'a reason' },
    },
    {
      method: 'POST',
      url: '/api/credentials',
      body: { clientId: id.one, siteId: null, name: 'Another', userName: 'root', kind: 'password', secret: 'x' },
    },
    { method: 'PUT', url: `/api/wave-runs/${id.run}/machines/1`, body: { name: 'tidemill-other' } },
    { method: 'POST', url: '/api/wave-runs', body: wave(id.site!, id.device!, id.credential!) },
    {
      method: 'POST',
      url: `/api/sites/${id.site}/host-keys`,
      body: { keys: [{ address: '192.0.2.20', fingerprint: 'dG0gaG9zdCBrZXk=' }] },
    },
    { method: 'DELETE', url: `/api/credentials/${id.credential}` },
    { method: 'PUT', url: devices, body: { tags: ['x'] } },
    { method: 'PUT', url: `/api/devices/${id.own}`, body: { siteId: id.site }, unlimited: 200 },
    { method: 'PUT', url: `${devices}/roles`, body: { roles: ['web'] } },
    { method: 'POST', url: `${devices}/roster/what-if`, body: { tags: ['x'] } },
    { method: 'POST', url: `/api/devices/${id.own}/roster/what-if`, body: { siteId: id.site } },
    { method: 'DELETE', url: `${devices}/waivers` },
    { method: 'POST', url: `/api/devices/${id.retired}/bring-back` },
    { method: 'POST', url: `${devices}/expect-reinstall` },
    { method: 'POST', url: '/api/enrolment-keys', body: key(id.site!, null) },
    { method: 'POST', url: '/api/enrolment-keys', body: key(null, id.one!) },
    { method: 'POST', url: '/api/enrolment-keys', body: key(null, null) },
    { method: 'DELETE', url: `/api/enrolment-keys/${id.key}` },
    { method: 'POST', url: '/api/exceptions', body: exception(target(id.own!, id.device!)) },
    { method: 'POST', url: '/api/exceptions', body: exception(target(notThereYet)), unlimited: 400 },
    {
      method: 'POST',
      url: '/api/exceptions',
      body: exception({ on: 'any', of: [target(id.own!), target(id.device!)] }),
    },
    { method: 'DELETE', url: `/api/exceptions/${id.exception}` },
    {
      method: 'POST',
      url: '/api/policy/changes',
      body: changes('assignment', assignment(id.template!, { on: 'site', siteId: id.site })),
    },
    {
      method: 'POST',
      url: '/api/policy/impact',
      body: changes('assignment', assignment(id.template!, { on: 'site', siteId: id.site })),
    },
    {
      method: 'POST',
      url: '/api/role-findings/decide',
      body: { decision: 'accepted', findings: [{ deviceId: id.device, role: 'database' }] },
    },
    // Nobody of theirs has it, and nobody else’s is decided about.
    ...[id.one, null].map((clientId) => ({
      method: 'POST' as const,
      url: '/api/role-findings/decide',
      body: { decision: 'accepted', role: 'database', clientId },
      // By then it is decided.
      unlimited: 400,
    })),
    {
      method: 'POST',
      url: '/api/sites',
      body: { clientId: id.one, name: 'Another', zone: 'Europe/Lisbon', networks: [] },
    },
    {
      method: 'POST',
      url: '/api/addresses',
      body: { siteId: id.site, name: 'tm-page', kind: 'address', address: '192.0.2.9' },
    },
    { method: 'PUT', url: `/api/sites/${id.site}/networks`, body: { networks: ['192.0.2.0/24'] } },
    { method: 'PUT', url: `/api/sites/${id.site}`, body: { notes: 'Ring twice.' } },
    { method: 'PUT', url: `/api/clients/${id.one}`, body: { notes: 'Tidemill opens at seven.' } },
    { method: 'POST', url: '/api/standing-rules/preview', body: rule(id.one!, 'x') },
    { method: 'POST', url: '/api/standing-rules', body: rule(id.one!, 'x') },
    { method: 'POST', url: '/api/standing-rules', body: rule(null, 'x') },
    {
      method: 'POST',
      url: '/api/standing-rules',
      body: { ...rule(null, 'x'), when: { ...rule(null, 'x').when, siteId: id.site } },
    },
    { method: 'DELETE', url: `/api/standing-rules/${id.rule}` },
    { method: 'DELETE', url: `/api/standing-rules/${id.siteRule}` },
    { method: 'POST', url: '/api/sweeps', body: sweep(id.site!, id.device!) },
    {
      method: 'POST',
      url: '/api/sweeps',
      body: { ...sweep(id.ownSite!, id.device!), network: '198.51.100.0/28' },
      unlimited: 400,
    },
    { method: 'DELETE', url: `/api/sweep-plans/${id.plan}` },
    { method: 'POST', url: '/api/templates', body: { name: 'Another', description: '', includes: [], watches: [] } },
    {
      method: 'POST',
      url: `/api/templates/${id.template}/keep`,
      body: { watch: 'services', parameter: 'hold', reason: 'a reason' },
    },
    { method: 'POST', url: '/api/policy/text/check', body: { text: 'templates: {}', note: '' } },
    { method: 'POST', url: '/api/policy/text/apply', body: { text: '}', note: '' }, unlimited: 400 },
    { method: 'POST', url: `/api/update-runs/${id.updates}/pause` },
    { method: 'POST', url: `/api/update-runs/${id.updates}/resume` },
    { method: 'POST', url: `/api/update-runs/${id.updates}/retry`, unlimited: 400 },
    { method: 'POST', url: `/api/update-runs/${id.updates}/stop` },
    { method: 'POST', url: `/api/update-runs/${id.mixedUpdates}/stop` },
    {
      method: 'POST',
      url: '/api/update-runs',
      body: { version: '9.9.9', deviceIds: [id.own, id.device], waves: [], mostFailed: 0, minutes: 5 },
    },
    { method: 'POST', url: `/api/wave-runs/${id.run}/pause` },
    { method: 'POST', url: `/api/wave-runs/${id.run}/resume` },
    { method: 'POST', url: `/api/wave-runs/${id.run}/retry`, unlimited: 400 },
    { method: 'POST', url: `/api/wave-runs/${id.run}/stop` },
    { method: 'POST', url: '/api/wave-runs', body: wave(id.site!, id.device!, id.ownCredential!), unlimited: 400 },
    { method: 'POST', url: '/api/windows', body: window(target(id.own!, id.device!)) },
    { method: 'POST', url: '/api/windows', body: window(target(notThereYet)), unlimited: 400 },
    { method: 'POST', url: '/api/windows', body: window({ on: 'client', clientId: notThereYet }), unlimited: 400 },
    { method: 'POST', url: '/api/windows', body: window({ on: 'everyone' }) },
    {
      method: 'POST',
      url: '/api/windows',
      body: window({
        on: 'any',
        of: [
          { on: 'client', clientId: id.two },
          { on: 'client', clientId: id.one },
        ],
      }),
    },
    // Nobody's alone, so that nobody limited could end it again.
    {
      method: 'POST',
      url: '/api/windows',
      body: window({
        on: 'any',
        of: [
          { on: 'client', clientId: id.two },
          { on: 'site', siteId: id.ownSite },
        ],
      }),
    },
    { method: 'POST', url: '/api/windows', body: window({ on: 'site', siteId: id.site }) },
    {
      method: 'POST',
      url: `/api/windows/${id.window}/change`,
      body: {
        revision: 1,
        scope: 'all',
        start: null,
        why: '',
        window: { ...window(target(id.device!)), length: 45 * 60_000 },
      },
    },
    {
      method: 'POST',
      url: `/api/windows/${id.ownWindow}/change`,
      body: { revision: 1, scope: 'all', start: null, why: '', window: window(target(id.own!, id.device!)) },
    },
    {
      method: 'POST',
      url: `/api/windows/${id.window}/occurrence`,
      body: { do: 'extend', start: id.start, until: Date.now() + 36e5 },
    },
    {
      method: 'POST',
      url: `/api/windows/${id.window}/review`,
      body: { reviewAt: Date.now() + 864e5, why: '' },
    },
    { method: 'POST', url: '/api/calendar-feeds', body: { clientId: id.one, label: 'theirs' } },
    { method: 'DELETE', url: `/api/calendar-feeds/${id.feed}` },
    { method: 'POST', url: '/api/windows/preview', body: { id: null, window: window(target(id.own!, id.device!)) } },
    {
      method: 'POST',
      url: '/api/windows/posts',
      body: { target: { on: 'client', clientId: id.one }, subject: { of: 'all' }, after: null },
    },
    { method: 'POST', url: `/api/windows/${id.window}/end` },
    { method: 'POST', url: `/api/windows/${id.shared}/end` },
    { method: 'POST', url: '/api/people', body: person([id.two!, id.one!]) },
    { method: 'POST', url: '/api/people', body: person(null) },
    { method: 'PUT', url: `/api/people/${id.person}`, body: { clientIds: [id.two] } },
    { method: 'PUT', url: `/api/people/${limited.contact.id}`, body: { clientIds: [id.two, id.one] } },
    { method: 'PUT', url: `/api/people/${limited.contact.id}`, body: { access: 'technician', clientIds: null } },
    { method: 'POST', url: `/api/people/${id.person}/second-factor/end` },
    { method: 'POST', url: `/api/people/${id.person}/password`, body: { password: 'another horse battery' } },
    { method: 'POST', url: `/api/devices/${id.own}/merge`, body: { from: id.device } },
    { method: 'POST', url: `${devices}/merge`, body: { from: id.own }, unlimited: 404 },
    { method: 'POST', url: `${devices}/retire`, unlimited: 404 },
  ]
}
