import { moreClients, moreDevices } from './more'
import { clients, devices, type Estate } from './plan'

export { addresses } from './addresses'
export { moreDevices } from './more'
export { logsOf, osFamilyOf, servicesOf, type Estate, type PlannedDevice, type Story } from './plan'

/**
 * The invented estate: 24 devices of 3 clients, each with its story, and of 3 further clients as many as are wanted
 * beyond.
 */
export function estateOf(count: number, seed: string): Estate {
  const more = count - devices.length
  return more > 0
    ? { clients: [...clients, ...moreClients], devices: [...devices, ...moreDevices(more, seed)] }
    : { clients, devices }
}

export const seed = process.env.CUSTODE_SEED ?? 'lanternfield'

/** As many devices as the environment asks for; never fewer than there are already. */
export function wantedEstate(already = 0): Estate {
  return estateOf(Math.max(already, Number(process.env.CUSTODE_DEVICES ?? 0)), seed)
}
