import seedrandom from 'seedrandom'
import { plannedDevice, type Estate, type PlannedDevice, type Story } from './plan'

export const moreClients = [
  {
    code: 'qp',
    name: 'Quillon Public Libraries',
    sites: [
      ['Central Library', 'Europe/Dublin'],
      ['Canal Branch', 'Europe/Dublin'],
      ['Orchard Branch', 'Europe/Dublin'],
      ['Weir Branch', 'Europe/Dublin'],
    ],
  },
  {
    code: 'oc',
    name: 'Oriel Conservatory',
    sites: [
      ['Main Hall', 'Europe/Vienna'],
      ['Practice House', 'Europe/Vienna'],
    ],
  },
  {
    code: 'ap',
    name: 'Alder & Pike Timber',
    sites: [
      ['Yard', 'Europe/Helsinki'],
      ['Mill', 'Europe/Helsinki'],
      ['Office', 'Europe/Helsinki'],
    ],
  },
] as const

const shapes: [stem: string, os: string, roles: string[], disks: PlannedDevice['disks'], services: string[]][] = [
  ['desk', 'Windows 11', ['workstation'], { 'C:': [256, 0.6] }, []],
  ['loan-desk', 'Windows 11', ['workstation'], { 'C:': [128, 0.55] }, ['card-reader']],
  ['files', 'Debian 12', ['file'], { '/': [40, 0.4], '/srv/files': [2000, 0.7] }, ['smbd']],
  [
    'catalogue',
    'Debian 12',
    ['web', 'database'],
    { '/': [60, 0.5], '/var/lib/postgresql': [200, 0.45] },
    ['nginx', 'postgresql'],
  ],
  ['dc', 'Windows Server 2022', ['directory', 'print'], { 'C:': [120, 0.5], 'D:': [500, 0.3] }, ['NTDS', 'DNS']],
  ['desk', 'Windows 11', ['workstation'], { 'C:': [512, 0.35] }, []],
  [
    'instrument-booking-and-practice-room-display',
    'Debian 12',
    ['application'],
    { '/': [40, 0.5], '/srv/very/long/path/to/where/the/recordings/of/the/concerts/are': [900, 0.8] },
    ['display-of-practice-rooms-and-instrument-bookings'],
  ],
]

/**
 * Believable devices without number: the same seed and count give the same ones.
 * @param trouble the share of them that has a story, 0 to 1
 */
export function moreDevices(
  count: number,
  seed: string,
  clients: Estate['clients'] = moreClients,
  trouble = 0.22,
): PlannedDevice[] {
  const random = seedrandom(`${seed}|more`)
  const places = clients.flatMap((client) => client.sites.map(([site]) => ({ client: client.code, site })))
  const numbers = new Map<string, number>()
  return Array.from({ length: count }, () => {
    const { client, site } = places[Math.floor(random() * places.length)]!
    const [stem, os, roles, disks, services] = shapes[Math.floor(random() * shapes.length)]!
    const number = (numbers.get(client + stem) ?? 0) + 1
    numbers.set(client + stem, number)
    const some = Object.fromEntries(
      Object.entries(disks).map(([mount, [size, used]]): [string, [number, number]] => [
        mount,
        [size, Math.min(0.94, used + (random() - 0.5) * 0.3)],
      ]),
    )
    return plannedDevice(
      `${client}-${stem}-${String(number).padStart(2, '0')}`,
      client,
      site,
      os,
      roles,
      some,
      services,
      storyFor((random() * 0.22) / trouble, random(), services),
    )
  })
}

function storyFor(kind: number, size: number, services: readonly string[]): Story | undefined {
  if (kind < 0.12)
    return {
      updates: {
        security: 1 + Math.floor(size * 12),
        other: Math.floor(size * 20),
        oldestDays: 2 + Math.floor(size * 30),
      },
    }
  if (kind < 0.18 && services[0]) return { down: [{ service: services[0], from: 20 + Math.floor(size * 400), to: 0 }] }
  if (kind < 0.22) return { silentFor: 30 + Math.floor(size * 500) }
  return undefined
}
