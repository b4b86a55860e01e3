import type { Impact } from '#contract'
import { compareRosters, resolveRoster, type DeviceTraits, type Policy, type WatchChange } from '#core'
import type { Db } from '../../db'
import { reconsiderAll } from '../../engine'
import { announce } from '../../live'
import { allTraits } from '../estate'
import { policyAsChanged, policyInForce } from './store'

export interface DeviceChange { device: DeviceTraits & { name: string }; changes: WatchChange[] }

/** What differs for every device between two policies. */
export function changesBetween(devices: readonly (DeviceTraits & { name: string })[], before: Policy, after: Policy): DeviceChange[] {
  return devices
    .map((device) => ({ device, changes: compareRosters(resolveRoster(device, before), resolveRoster(device, after)) }))
    .filter((one) => one.changes.length > 0)
}

/** @param keepOwn devices that get the template but keep a value of their own, so that the edit does not reach them there */
export function impactOf(changed: readonly DeviceChange[], keepOwn: number): Impact {
  const count = (kind: WatchChange['change']) => changed.reduce((sum, one) => sum + one.changes.filter((change) => change.change === kind).length, 0)
  return {
    devices: changed.length,
    clients: new Set(changed.map((one) => one.device.clientId)).size,
    keepOwn,
    added: count('added'), removed: count('removed'), altered: count('altered'),
    examples: changed.slice(0, 200).map(({ device, changes }) => ({ deviceId: device.id, deviceName: device.name, clientId: device.clientId, changes })),
  }
}

/**
 * Makes a change of policy count: runs `write`, then looks again at exactly the devices whose roster it moved, all in one
 * transaction. Agents and browsers have it with the commit.
 */
export async function changePolicy<T>(tx: Db, now: number, write: () => Promise<T>): Promise<T> {
  // One change at a time: the second compares with what the first has made.
  await tx.query('select version from policy_mark for update')
  const before = await policyInForce(tx)
  const result = await write()
  const after = await policyAsChanged(tx)
  const changed = changesBetween(await allTraits(tx), before, after)
  await reconsiderAll(tx, changed.map((one) => one.device.id), now)
  announce(tx, { topic: 'policy', clientIds: null, deviceIds: changed.map((one) => one.device.id) })
  return result
}
