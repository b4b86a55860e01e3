import { minute, type DeviceId, type Millis } from '../units'
import { silentIntervals } from '../watch'
import { fallsTogether } from './site'

/** What was behind a silent device has as long to be heard again, at most. Common practice, no source. */
export const longestReturn: Millis = 10 * minute
/** How long a device that reports so often has to be heard again, once what it is reached through is back. */
export const returnsWithin = (interval: Millis): Millis => Math.min(silentIntervals * interval, longestReturn)

/** A device whose silence somebody is told of. */
export interface SilentDevice {
  id: DeviceId
  /** The device that it is reached through; null: none, or nobody knows. */
  upstream: DeviceId | null
  heardAt: Millis
}

/**
 * The device whose silence accounts for that of another: the farthest on the way up, as long as each is silent. What
 * had fallen silent long before what it is reached through has a cause of its own. Where devices are said to be behind
 * one another in a circle, the one with the lowest number stands for all of it, so that no circle hides itself.
 * @returns null when it stands for itself
 */
export function silenceCause(id: DeviceId, silent: ReadonlyMap<DeviceId, SilentDevice>): DeviceId | null {
  const way: DeviceId[] = []
  for (let at = id; ;) {
    const before = way.indexOf(at)
    if (before >= 0) {
      const first = Math.min(...way.slice(before))
      return first === id ? null : first
    }
    way.push(at)
    const device = silent.get(at)
    const above = device && device.upstream !== null ? silent.get(device.upstream) : undefined
    if (!device || !above || device.heardAt < above.heardAt - fallsTogether) return at === id ? null : at
    at = above.id
  }
}
