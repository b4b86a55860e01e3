import { createTransport } from 'nodemailer'
import { day, fromLibrary, hour, libraryTemplates, type Target, type Values, type WatchSpec } from '#core'
import { addresses, wantedEstate } from '../estate'

/**
 * Sets the demo up through the API, as a lead would: clients, sites, people, policy, windows and enrolment keys. Prints
 * the keys for the fleet and for the agent of this machine as JSON.
 */
const estate = wantedEstate()
const [serverUrl, email, password, pagePort, smtpPort, inboxPort] = process.argv.slice(2)
let cookie = ''

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const response = await fetch(`${serverUrl}${path}`, {
    method,
    headers: { ...(body ? { 'content-type': 'application/json' } : {}), cookie },
    ...(body ? { body: JSON.stringify(body) } : {}),
  })
  if (!response.ok) throw new Error(`${method} ${path}: ${response.status} ${await response.text()}`)
  cookie = response.headers.get('set-cookie')?.split(';')[0] ?? cookie
  return (await response.json()) as T
}
const add = async (path: string, body: unknown) => (await call<{ id: number }>('POST', path, body)).id

/** Addresses of the documentation ranges (RFC 5737), cut into one network a site. */
function networksOf(code: string, site: string): string[] {
  const all = estate.clients.flatMap((client) => client.sites.map(([name]) => `${client.code}/${name}`))
  const n = all.indexOf(`${code}/${site}`)
  // The workshop has the stand-in hosts of this machine.
  return n < 0
    ? ['127.20.0.0/25', '127.21.0.0/27', '127.22.0.0/29']
    : [`${['192.0.2', '198.51.100', '203.0.113'][n % 3]}.${Math.floor(n / 3) * 16}/28`]
}

await call('POST', '/api/session', { email, password })
const clientIds: Record<string, number> = {}
const siteIds: Record<string, number> = {}
for (const client of [
  ...estate.clients,
  { code: 'lf', name: 'Lanternfield IT', sites: [['Workshop', 'Europe/Lisbon']] },
] as const) {
  clientIds[client.code] = await add('/api/clients', { name: client.name, code: client.code })
  for (const [name, zone] of client.sites)
    siteIds[`${client.code}/${name}`] = await add('/api/sites', {
      clientId: clientIds[client.code],
      name,
      zone,
      networks: networksOf(client.code, name),
    })
}

for (const { client, site, name, kind, address } of addresses) {
  const siteId = siteIds[`${client}/${site}`]
  if (siteId === undefined) continue
  if (kind === 'address') await call('PUT', `/api/sites/${siteId}`, { named: [address] })
  await add('/api/addresses', { siteId, name, kind, address, tags: [] })
}

await add('/api/people', {
  email: 'ines@lanternfield.example',
  name: 'Ines Vantorre',
  password,
  access: 'technician',
  clientIds: null,
})
await add('/api/people', {
  email: 'harbour@tidemill.example',
  name: 'Odile Marrek',
  password,
  access: 'contact',
  clientIds: [clientIds.tm],
})
await add('/api/people', {
  email: 'jorun@lanternfield.example',
  name: 'Jorun Askeby',
  password,
  access: 'technician',
  clientIds: null,
})

const templateIds: Record<string, number> = {}
// The others wait in the library.
const taken = [
  'Base server',
  'Base workstation',
  'Web server',
  'Database server',
  'Backup host',
  'File server',
  'Page outside',
  'Network gear',
  'Unusual load',
  'Protection',
  'Web traffic',
  'Database activity',
  'Directory replication',
]
for (const template of libraryTemplates)
  if (taken.includes(template.name)) templateIds[template.name] = await add('/api/templates', fromLibrary(template))
const tillWatches: WatchSpec[] = [
  {
    key: 'services.till',
    kind: 'service-state',
    name: 'Till services',
    why: 'A till that cannot sync or print closes the shop.',
    osFamilies: ['windows'],
    values: { which: 'named', names: ['till-*'], expected: 'running', severity: 'critical' },
  },
]
templateIds.Till = await add('/api/templates', {
  name: 'Till',
  description: 'What a shop notices first.',
  watches: tillWatches,
})

async function assign(
  template: string,
  target: Target,
  values: Record<string, Values> = {},
  reason = '',
): Promise<void> {
  await add('/api/assignments', {
    templateId: templateIds[template]!,
    target,
    rank: 100,
    values,
    dormant: false,
    reason,
  })
}
await assign('Base server', { on: 'kind', kind: 'server' })
await assign('Base workstation', { on: 'kind', kind: 'workstation' })
await assign('Web server', { on: 'role', role: 'web' })
await assign('Database server', { on: 'role', role: 'database' })
await assign('Web traffic', { on: 'role', role: 'web' })
await assign('Database activity', { on: 'role', role: 'database' })
await assign('Directory replication', { on: 'role', role: 'directory' })
await assign('Backup host', { on: 'role', role: 'backup' })
await assign('Page outside', { on: 'kind', kind: 'address' })
await assign('Unusual load', {
  on: 'all',
  of: [
    { on: 'kind', kind: 'server' },
    { on: 'client', clientId: clientIds.sv! },
  ],
})
await assign('Protection', {
  on: 'all',
  of: [
    { on: 'kind', kind: 'workstation' },
    { on: 'client', clientId: clientIds.sv! },
  ],
})
await assign('Network gear', { on: 'kind', kind: 'network' })
await assign('Till', { on: 'role', role: 'till' })
await assign(
  'File server',
  {
    on: 'all',
    of: [
      { on: 'role', role: 'file' },
      { on: 'except', of: [{ on: 'client', clientId: clientIds.sv! }] },
    ],
  },
  {},
  'Saltmarsh keeps its files with its images; see the exception',
)
await add('/api/exceptions', {
  target: { on: 'client', clientId: clientIds.sv },
  watch: 'disk.space',
  values: { 'warning.bytes': 50e9, 'clear.bytes': 60e9 },
  leftOut: false,
  reason: 'Imaging grows fast; they want to hear earlier.',
  reviewAt: Date.now() + 90 * day,
})

await add('/api/exceptions', {
  target: { on: 'client', clientId: clientIds.tm },
  watch: 'updates',
  values: { 'other.after': 30 * day },
  leftOut: false,
  reason: 'No updates in the holiday season',
  reviewAt: Date.now() - 40 * day,
})

const now = Date.now()
async function plan(name: string, target: Target, from: number, until: number, reason: string): Promise<void> {
  await add('/api/windows', {
    name,
    reason,
    target,
    subject: { of: 'all' },
    from: now + from * hour,
    until: now + until * hour,
  })
}
await plan(
  'Till printers, firmware',
  { on: 'client', clientId: clientIds.bb! },
  -14,
  -12.5,
  'Firmware of the receipt printers',
)
await plan('Till update', { on: 'site', siteId: siteIds['bb/Quay Street']! }, -1, 2, 'New version of the till software')
await plan(
  'Ticketing database, minor version',
  { on: 'site', siteId: siteIds['tm/Ticket Office']! },
  7,
  9,
  'After the last ferry',
)
await plan(
  'Imaging storage move',
  { on: 'client', clientId: clientIds.sv! },
  9.5,
  11.5,
  'New shelf for the image store',
)

/** One that repeats, since two weeks ago, on the clocks of its sites. */
async function planAgain(
  name: string,
  target: Target,
  time: string,
  hours: number,
  rule: string,
  reason: string,
  more: object = {},
): Promise<void> {
  await add('/api/windows', {
    name,
    reason,
    target,
    subject: { of: 'all' },
    from: `${new Date(now - 14 * day).toISOString().slice(0, 10)}T${time}:00`,
    length: hours * hour,
    rule,
    ...more,
  })
}
await planAgain(
  'Nightly record export',
  {
    on: 'all',
    of: [
      { on: 'client', clientId: clientIds.sv! },
      { on: 'kind', kind: 'server' },
    ],
  },
  '01:30',
  1.5,
  'FREQ=DAILY',
  'The export keeps the records to itself for an hour',
  { subject: { of: 'families', families: ['service', 'performance'] }, ticket: 'LF-2381' },
)
await planAgain(
  'Patch Tuesday, ticketing',
  { on: 'client', clientId: clientIds.tm! },
  '22:00',
  4,
  'FREQ=MONTHLY;BYDAY=2TU',
  'Monthly updates with restarts',
  { ticket: 'https://desk.lanternfield.example/LF-2204' },
)
await planAgain(
  'Oven line, weekly restart',
  { on: 'site', siteId: siteIds['bb/Quay Street']! },
  '04:00',
  1,
  'FREQ=WEEKLY;BYDAY=MO,TH',
  'The line computers are restarted before the first shift',
)
await planAgain(
  'Imaging archive run',
  { on: 'client', clientId: clientIds.sv! },
  '20:30',
  3,
  // Never on the day of the first start: what is wrong there is to be seen.
  `FREQ=WEEKLY;BYDAY=${['SU', 'MO', 'TU', 'WE', 'TH', 'FR', 'SA'][(new Date().getUTCDay() + 3) % 7]}`,
  'Pictures of the week go to the archive',
  { subject: { of: 'families', families: ['disk', 'performance'] } },
)

await add('/api/standing-rules', {
  name: 'Tills of the shops',
  when: {
    clientId: clientIds.bb,
    siteId: null,
    kind: 'workstation',
    osFamily: 'windows',
    namePattern: 'bb-shop-*',
    network: null,
  },
  roles: ['till'],
  tags: ['shop'],
  takeDetected: false,
  notify: [],
})

await add('/api/credentials', {
  clientId: clientIds.lf,
  siteId: null,
  name: 'Workshop, old',
  userName: 'root',
  kind: 'password',
  secret: 'harbour-wall-7',
})
await add('/api/credentials', {
  clientId: clientIds.lf,
  siteId: null,
  name: 'Workshop',
  userName: 'root',
  kind: 'password',
  secret: process.env.CUSTODE_HOSTS_PASSWORD ?? 'no machine takes this',
})

await tellPeople()
await writeMails()

async function key(site: string, kind: string, roles: string[], uses: number): Promise<string> {
  return (
    await call<{ key: string }>('POST', '/api/enrolment-keys', {
      siteId: siteIds[site],
      label: 'demo fleet',
      uses,
      days: 1,
      kind,
      roles,
      tags: [],
    })
  ).key
}
const fleet: Record<string, string> = {}
for (const device of estate.devices) {
  const name = `${device.client}/${device.site}/${device.kind}/${device.roles.join('+')}`
  fleet[name] ??= await key(`${device.client}/${device.site}`, device.kind, device.roles, estate.devices.length)
}
process.stdout.write(JSON.stringify({ fleet, here: await key('lf/Workshop', 'server', ['application'], 1) }))

function mondayBefore(at: number): string {
  return new Date(at - ((new Date(at).getUTCDay() + 6) % 7) * day).toISOString().slice(0, 10)
}

/** Who is told of what: common practice, no source. */
async function tellPeople(): Promise<void> {
  const people = await call<{ id: number; name: string }[]>('GET', '/api/people')
  const idOf = (name: string) => people.find((person) => person.name.startsWith(name))!.id
  const [mara, ines, jorun] = [idOf('Mara'), idOf('Ines'), idOf('Jorun')]
  await call('PUT', '/api/ways/mail', {
    host: '127.0.0.1',
    port: Number(smtpPort),
    security: 'none',
    username: '',
    sender: 'custode@lanternfield.example',
  })
  const board = await add('/api/webhooks', { name: 'Service desk', url: `http://127.0.0.1:${pagePort}/hook` })
  const servers = await add('/api/teams', { name: 'Servers', memberIds: [mara, ines, jorun] })
  const desk = await add('/api/teams', { name: 'Front desk', memberIds: [ines, jorun] })
  await call('PUT', `/api/teams/${servers}/rotation`, {
    // The week begins at nine: before that on a Monday it is still the one before.
    starts: `${mondayBefore(now - 9 * hour - 21 * day)}T09:00:00`,
    zone: 'Europe/Lisbon',
    rule: 'FREQ=WEEKLY',
    turns: [ines, jorun, mara],
  })
  const usual = {
    severities: ['critical'],
    families: null,
    causes: null,
    hours: '',
    outside: 'later',
    after: 0,
    again: 30 * 60_000,
    escalate: { after: 40 * 60_000, tell: [{ to: 'leads' }] },
    remindAfter: day,
    sayWell: true,
  }
  await add('/api/callouts', {
    name: 'Servers, day and night',
    rule: { ...usual, target: { on: 'kind', kind: 'server' }, tell: [{ to: 'on-call', id: servers }] },
  })
  await add('/api/callouts', {
    name: 'Workstations by day',
    rule: {
      ...usual,
      severities: ['warning', 'critical'],
      target: { on: 'kind', kind: 'workstation' },
      hours: 'Mon–Fri 08:00–20:00',
      again: 60 * 60_000,
      escalate: null,
      tell: [{ to: 'team', id: desk }],
    },
  })
  await add('/api/callouts', {
    name: 'Service desk',
    rule: {
      ...usual,
      target: { on: 'client', clientId: clientIds.tm },
      again: null,
      escalate: null,
      remindAfter: null,
      tell: [{ to: 'webhook', id: board }],
    },
  })
  // Told once nobody took it for half an hour, the lead after 40 minutes.
  await add('/api/callouts', {
    name: 'Mail from clients',
    rule: {
      ...usual,
      about: 'mail',
      severities: ['critical', 'warning', 'notice'],
      target: { on: 'everyone' },
      after: 30 * 60_000,
      again: null,
      sayWell: false,
      tell: [{ to: 'team', id: desk }],
    },
  })
}

/** What people of clients have asked this morning, as it comes: by mail. */
async function writeMails(): Promise<void> {
  const to = 'help@lanternfield.example'
  await call('PUT', '/api/inbox', { addresses: [to] })
  const domains = { tm: 'tidemill.example', sv: 'saltmarsh.example', bb: 'brindle.example', ql: 'quillon.example' }
  for (const [code, domain] of Object.entries(domains))
    if (clientIds[code])
      await call('PUT', `/api/clients/${clientIds[code]}`, {
        mailDomains: [domain],
        agreedHours: 'Mon–Fri 08:00–18:00',
        agreed: 'an answer within four hours',
      })
  await call('POST', `/api/clients/${clientIds.tm}/contacts`, {
    name: 'Odile Marrek',
    email: 'harbour@tidemill.example',
    phone: '+351 000 000 012',
    note: 'ticketing; may approve work',
  })
  const line = createTransport({ host: '127.0.0.1', port: Number(inboxPort), ignoreTLS: true })
  const mails = [
    {
      from: '"Odile Marrek" <harbour@tidemill.example>',
      subject: 'Ticket printer at the north harbour prints nothing',
      text: 'Good morning,\n\nsince we opened, the printer at counter 2 prints nothing. The queue on the screen grows.\nCounter 1 is fine. The first ferry leaves at nine.\n\nOdile Marrek',
    },
    {
      from: '"Surgery, Saltmarsh" <surgery@saltmarsh.example>',
      subject: 'Images of yesterday',
      text: 'Hello, the images of yesterday afternoon do not open at the desk any more, those of today do.\nIs that because of the work last night?',
    },
    {
      from: 'plant-office@brindle-bakeries.example',
      subject: 'New colleague on Monday',
      text: 'We have a new colleague from Monday on and need an account and a workstation. What do you need from us?',
    },
  ]
  for (const mail of mails) await line.sendMail({ to, ...mail })
}
