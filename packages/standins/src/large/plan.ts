import { moreDevices, type Estate } from '../estate'

const places = ['Ashgrove', 'Birchmere', 'Copperdale', 'Dunmarsh', 'Eldershaw', 'Fennick', 'Gullwater', 'Hexley']
const more = ['Ironbridge Lane', 'Juniper Hill', 'Kestrel Bay', 'Larkfield', 'Mossend', 'Netherby', 'Orrisdale', 'Pell']
const trades = [
  'Joinery',
  'Opticians',
  'Freight',
  'Primary School',
  'Foundry',
  'Dental Practice',
  'Housing Trust',
  'Museum',
  'Printers',
  'Surveyors',
  'Nurseries',
  'Boatyard',
  'Credit Union',
]
const siteNames = ['Main Office', 'Works', 'Depot', 'Annexe']
const zones = ['Europe/Lisbon', 'Europe/Dublin', 'Europe/Vienna', 'Europe/Helsinki']

/** An estate as a technician has it with fifty devices a client; all names are invented. */
export function largeEstate(count: number, seed: string): Estate {
  const towns = [...places, ...more]
  const clients = Array.from({ length: Math.max(2, Math.round(count / 50)) }, (_, i) => {
    const round = Math.floor(i / (towns.length * trades.length))
    return {
      code: `c${i + 1}`,
      name: `${towns[i % towns.length]!} ${trades[Math.floor(i / towns.length) % trades.length]!}${round ? ` ${round + 1}` : ''}`,
      sites: siteNames.slice(0, 1 + (i % 4)).map((name, n) => [name, zones[(i + n) % zones.length]!] as const),
    }
  })
  return { clients, devices: moreDevices(count, seed, clients, 0.6) }
}
