import type { DeviceKind, Drive, OsFamily, Service } from '#core'

/** A stand-in device: what it is, and how it differs from an uneventful day. Everything here is invented. */
export interface PlannedDevice {
  name: string
  client: string
  site: string
  kind: DeviceKind
  os: string
  roles: string[]
  /** Mount → size in GB and share in use. */
  disks: Record<string, [size: number, used: number]>
  services: string[]
  memory: number
  cores: number
  /** Its address, and that of the router of its default route. */
  network?: { address: string; gateway: string }
  story?: Story
}

/** Times in minutes before the history ends. */
export interface Story {
  /** What its second drive says of itself. */
  drive?: Partial<Drive>
  fills?: { mount: string; from: number; to: number; overMinutes: number }
  /** A service that is down between these minutes; `to` 0: still down. */
  down?: { service: string; from: number; to: number }[]
  /** A service that stops for some minutes, again and again. */
  flaps?: { service: string; everyMinutes: number; forMinutes: number }
  /** A service that ends and is started again every few minutes, since so many minutes; it runs whenever one looks. */
  loops?: { service: string; everyMinutes: number; from: number }
  /** Nothing was installed for so many days. */
  updates?: {
    security: number
    other: number
    oldestDays: number
    restart?: boolean
    /** Packages that somebody has put on hold. */
    heldBack?: string[]
    /** Services that run a library that was replaced. */
    outdated?: string[]
    /** An archive that does not answer. */
    unfetched?: string
  }
  /** A nightly job reported success so many minutes ago, and not since. */
  backup?: { lastMinutesAgo: number }
  /** Log lines at error level in the last minutes. */
  errors?: { source: string; text: string; id: number; times: number; minutesAgo: number }
  /** Its antivirus has learned nothing new for so many days. */
  definitions?: { oldDays: number }
  /** Somebody who signed in to a server and forgot it. */
  signedIn?: { user: string; from: string; hoursAgo: number }
  /** Device clock minus true time, in seconds. */
  clock?: number
  /** Stopped reporting so many minutes ago. */
  silentFor?: number
  /** A service that does not come up when it is started. */
  broken?: string
  /** A new version of the agent does not work on it. */
  updateFails?: boolean
  /** Busy between these minutes. */
  busy?: { from: number; to: number }
  /** A program of it ran in a loop between these minutes, on some of its cores. */
  loop?: { from: number; to: number }
  /** Busy again every week, by the clock of its site; weekdays from 1, Monday. Its job says so in the log. */
  weekly?: { zone: string; weekday: number; from: number; until: number; job: string }
  /** A new version of something so many minutes ago: since then it needs so much more of the memory, and sends more. */
  changed?: { minutesAgo: number; memory: number; traffic: number; text: string }
}

export interface Estate {
  clients: readonly { code: string; name: string; sites: readonly (readonly [name: string, zone: string])[] }[]
  devices: readonly PlannedDevice[]
}

export const clients = [
  {
    code: 'tm',
    name: 'Tidemill Ferries',
    sites: [
      ['Harbour West', 'Europe/Lisbon'],
      ['Harbour East', 'Europe/Lisbon'],
      ['Ticket Office', 'Europe/Lisbon'],
    ],
  },
  {
    code: 'sv',
    name: 'Saltmarsh Veterinary',
    sites: [
      ['Clinic North', 'Europe/Dublin'],
      ['Clinic South', 'Europe/Dublin'],
    ],
  },
  {
    code: 'bb',
    name: 'Brindle Bakeries',
    sites: [
      ['Plant', 'Europe/Vienna'],
      ['Quay Street', 'Europe/Vienna'],
      ['Mill Lane', 'Europe/Vienna'],
    ],
  },
] as const

const linuxBase = ['ssh', 'cron', 'rsyslog', 'chrony']
const windowsBase = ['EventLog', 'Dnscache', 'LanmanServer', 'Schedule', 'W32Time', 'Spooler']

export function plannedDevice(
  name: string,
  client: string,
  site: string,
  os: string,
  roles: string[],
  disks: PlannedDevice['disks'],
  services: string[],
  story?: Story,
): PlannedDevice {
  const kind: DeviceKind = roles.includes('workstation') || roles.includes('till') ? 'workstation' : 'server'
  return {
    name,
    client,
    site,
    kind,
    os,
    roles,
    disks,
    services,
    memory: kind === 'server' ? 32 : 8,
    cores: kind === 'server' ? 8 : 4,
    ...(story ? { story } : {}),
  }
}

const debian = 'Debian 12'
const server = 'Windows Server 2022'
const desk = 'Windows 11'

export const devices: readonly PlannedDevice[] = [
  plannedDevice(
    'tm-tickets-1',
    'tm',
    'Ticket Office',
    debian,
    ['database'],
    { '/': [80, 0.41], '/var/lib/postgresql': [500, 0.52] },
    ['postgresql'],
    { fills: { mount: '/var/lib/postgresql', from: 0.31, to: 0.62, overMinutes: 20 * 1440 } },
  ),
  plannedDevice(
    'tm-tickets-2',
    'tm',
    'Ticket Office',
    debian,
    ['database'],
    { '/': [80, 0.38], '/var/lib/postgresql': [500, 0.5] },
    ['postgresql'],
    { busy: { from: 9 * 60, to: 8 * 60 } },
  ),
  plannedDevice('tm-gate-1', 'tm', 'Harbour West', debian, ['web'], { '/': [40, 0.47] }, ['nginx'], {
    changed: {
      minutesAgo: 5 * 1440 + 400,
      memory: 0.17,
      traffic: 1.7,
      text: 'gate-pages: release 31 is in place of release 30',
    },
  }),
  plannedDevice('tm-gate-2', 'tm', 'Harbour West', debian, ['web'], { '/': [40, 0.5] }, ['nginx'], {
    flaps: { service: 'nginx', everyMinutes: 310, forMinutes: 7 },
  }),
  {
    ...plannedDevice('tm-east-gate-1', 'tm', 'Harbour East', debian, ['web'], { '/': [40, 0.44] }, ['nginx'], {
      silentFor: 190,
    }),
    network: { address: '198.51.100.2', gateway: '198.51.100.1' },
  },
  {
    ...plannedDevice(
      'tm-east-cam',
      'tm',
      'Harbour East',
      debian,
      ['application'],
      { '/': [40, 0.3], '/srv/video': [4000, 0.81] },
      ['camera-recorder'],
      { silentFor: 190 },
    ),
    // It is reached through the gate.
    network: { address: '198.51.100.5', gateway: '198.51.100.2' },
  },
  plannedDevice(
    'tm-office-dc',
    'tm',
    'Ticket Office',
    server,
    ['directory', 'print'],
    { 'C:': [120, 0.55] },
    ['NTDS', 'DNS'],
    {
      updates: { security: 2, other: 5, oldestDays: 3 },
      signedIn: { user: 'TIDEMILL\\admin-west', from: '198.51.100.77', hoursAgo: 31 },
    },
  ),
  plannedDevice('tm-desk-01', 'tm', 'Ticket Office', desk, ['workstation'], { 'C:': [256, 0.62] }, []),
  plannedDevice('tm-desk-02', 'tm', 'Ticket Office', desk, ['workstation'], { 'C:': [256, 0.71] }, [], { clock: 427 }),
  plannedDevice(
    'sv-imaging-1',
    'sv',
    'Clinic North',
    debian,
    ['imaging', 'file'],
    { '/': [60, 0.52], '/srv/images': [180, 0.9], '/srv/archive': [8000, 0.92] },
    ['image-receiver', 'smbd'],
    {
      fills: { mount: '/srv/images', from: 0.84, to: 0.958, overMinutes: 1500 },
      updates: { security: 3, other: 8, oldestDays: 2, outdated: ['smbd', 'image-receiver'] },
    },
  ),
  plannedDevice(
    'sv-imaging-2',
    'sv',
    'Clinic South',
    debian,
    ['imaging'],
    { '/': [60, 0.49], '/srv/images': [180, 0.63] },
    ['image-receiver'],
    { updateFails: true, loop: { from: 31 * 60, to: 25 * 60 } },
  ),
  plannedDevice('sv-north-dc', 'sv', 'Clinic North', server, ['directory'], { 'C:': [120, 0.48], 'D:': [500, 0.4] }, [
    'NTDS',
    'DNS',
  ]),
  plannedDevice(
    'sv-backup',
    'sv',
    'Clinic North',
    debian,
    ['backup'],
    { '/': [40, 0.35], '/backup': [12000, 0.71] },
    [],
    {
      backup: { lastMinutesAgo: 28 * 60 },
      updates: { security: 0, other: 2, oldestDays: 1, unfetched: 'http://archive.saltmarsh.example/debian' },
      fills: { mount: '/backup', from: 0.6, to: 0.87, overMinutes: 21 * 1440 },
    },
  ),
  plannedDevice('sv-desk-01', 'sv', 'Clinic North', desk, ['workstation'], { 'C:': [256, 0.58] }, []),
  plannedDevice('sv-desk-02', 'sv', 'Clinic North', desk, ['workstation'], { 'C:': [256, 0.66] }, [], {
    updates: { security: 4, other: 3, oldestDays: 19, restart: true },
  }),
  plannedDevice('sv-desk-03', 'sv', 'Clinic South', desk, ['workstation'], { 'C:': [256, 0.49] }, [], {
    definitions: { oldDays: 6 },
  }),
  plannedDevice(
    'bb-plant-app',
    'bb',
    'Plant',
    server,
    ['application'],
    { 'C:': [120, 0.57], 'D:': [400, 0.62] },
    ['bakery-orders', 'bakery-labels'],
    {
      down: [{ service: 'bakery-orders', from: 34, to: 0 }],
      errors: {
        source: 'disk',
        text: 'The device \\Device\\Harddisk1 has a bad block.',
        id: 7,
        times: 4,
        minutesAgo: 52,
      },
      drive: { passed: false, pending: 24, reallocated: 112 },
    },
  ),
  plannedDevice(
    'bb-plant-db',
    'bb',
    'Plant',
    debian,
    ['database'],
    { '/': [60, 0.44], '/var/lib/mysql': [300, 0.48] },
    ['mariadb'],
    {
      updates: { security: 14, other: 17, oldestDays: 23, restart: true, heldBack: ['mariadb-server'] },
      weekly: { zone: 'Europe/Vienna', weekday: 2, from: 8, until: 10.25, job: 'stock-count' },
      loops: { service: 'mariadb', everyMinutes: 2, from: 26 },
    },
  ),
  plannedDevice('bb-plant-web', 'bb', 'Plant', debian, ['web'], { '/': [40, 0.55] }, ['nginx'], { broken: 'nginx' }),
  plannedDevice(
    'bb-shop-01',
    'bb',
    'Quay Street',
    desk,
    ['till'],
    { 'C:': [128, 0.6] },
    ['till-sync', 'till-printer'],
    { down: [{ service: 'till-sync', from: 48, to: 0 }] },
  ),
  plannedDevice(
    'bb-shop-02',
    'bb',
    'Quay Street',
    desk,
    ['till'],
    { 'C:': [128, 0.63] },
    ['till-sync', 'till-printer'],
    {
      down: [
        { service: 'till-sync', from: 41, to: 0 },
        { service: 'till-printer', from: 820, to: 770 },
      ],
    },
  ),
  plannedDevice('bb-shop-03', 'bb', 'Mill Lane', desk, ['till'], { 'C:': [128, 0.57] }, ['till-sync', 'till-printer'], {
    down: [{ service: 'till-printer', from: 815, to: 690 }],
  }),
  plannedDevice('bb-shop-04', 'bb', 'Mill Lane', desk, ['till'], { 'C:': [128, 0.68] }, ['till-sync', 'till-printer'], {
    updates: { security: 9, other: 4, oldestDays: 6 },
  }),
  plannedDevice('bb-desk-01', 'bb', 'Plant', desk, ['workstation'], { 'C:': [256, 0.53] }, []),
]

export function osFamilyOf(planned: PlannedDevice): OsFamily {
  return planned.os.startsWith('Windows') ? 'windows' : 'linux'
}

/**
 * The services of a device on a good day: ordinary ones, its own, and those that are “automatic and stopped” for a
 * reason.
 */
export function servicesOf(planned: PlannedDevice): Service[] {
  const windows = osFamilyOf(planned) === 'windows'
  const system = windows ? 'LocalSystem' : 'root'
  const running = (name: string): Service => ({
    name,
    title: name,
    start: 'automatic',
    state: 'running',
    account: accounts[name] ?? system,
  })
  const quiet: Service[] = windows
    ? [
        { name: 'edgeupdate', title: 'Browser update', start: 'automatic', state: 'stopped' },
        { name: 'MapsBroker', title: 'Downloaded maps', start: 'late', state: 'stopped' },
        { name: 'TrustedInstaller', title: 'Module installer', start: 'on-demand', state: 'stopped' },
      ]
    : [
        { name: 'apt-daily', title: 'Daily package look', start: 'on-demand', state: 'stopped' },
        { name: 'e2scrub_reap', title: 'Old scrub snapshots', start: 'automatic', state: 'finished' },
      ]
  const resting = quiet.map((service) => ({ ...service, account: system }))
  // Where there are several, those after the first get their data from it.
  const [first, ...others] = planned.services.map(running)
  const own = first ? [others.length ? { ...first, neededBy: others.map(({ name }) => name) } : first, ...others] : []
  return [...(windows ? windowsBase : linuxBase).map(running), ...own, ...resting]
}

/** Accounts other than the system's own. */
const accounts: Record<string, string> = {
  postgresql: 'postgres',
  mariadb: 'mysql',
  'image-receiver': 'imaging',
  'camera-recorder': 'camera',
  'bakery-orders': 'BRINDLE\\orders',
  'till-sync': 'NT AUTHORITY\\NetworkService',
}

/** Logs by what runs there; the ordinary ones are read everywhere. */
const logsByService: Record<string, string[]> = {
  nginx: ['nginx/access.log', 'nginx/error.log'],
  postgresql: ['postgresql/main.log'],
  mariadb: ['mariadb/error.log'],
  smbd: ['samba/log.smbd'],
  NTDS: ['Directory Service', 'DFS Replication'],
  DNS: ['DNS Server'],
}

export function logsOf(planned: PlannedDevice): { name: string; ordinary: boolean }[] {
  const windows = osFamilyOf(planned) === 'windows'
  const own = planned.services.flatMap((service) => logsByService[service] ?? [])
  const print = windows && planned.roles.includes('print') ? ['Microsoft-Windows-PrintService/Admin'] : []
  return [
    ...(windows ? ['Application', 'System'] : ['auth.log', 'syslog']).map((name) => ({ name, ordinary: true })),
    ...[...own, ...print].map((name) => ({ name, ordinary: false })),
  ]
}
