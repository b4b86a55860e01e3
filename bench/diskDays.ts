import { day, type DiskDays, type Millis, type Reading } from '#core'

/** What was least and most free on its disks on each day so far. */
export class DiskDaysSoFar {
  readonly #days = new Map<string, { at: Millis[]; least: number[]; most: number[] }>()

  add(at: Millis, readings: readonly Reading[]): void {
    const begin = Math.floor(at / day) * day
    for (const [metric, mount, free] of readings) {
      if (metric !== 'disk.free') continue
      const disk = this.#days.get(mount) ?? { at: [], least: [], most: [] }
      this.#days.set(mount, disk)
      if (disk.at.at(-1) !== begin) {
        disk.at.push(begin)
        disk.least.push(free)
        disk.most.push(free)
      }
      const last = disk.at.length - 1
      disk.least[last] = Math.min(disk.least[last]!, free)
      disk.most[last] = Math.max(disk.most[last]!, free)
    }
  }

  before(at: Millis): ReadonlyMap<string, DiskDays> {
    const today = Math.floor(at / day) * day
    const whole = (disk: { at: Millis[]; least: number[]; most: number[] }): DiskDays => {
      const count = disk.at.findIndex((each) => each >= today)
      const cut = <T>(list: T[]) => (count < 0 ? list : list.slice(0, count))
      return { at: cut(disk.at), least: cut(disk.least), most: cut(disk.most) }
    }
    return new Map([...this.#days].map(([mount, disk]) => [mount, whole(disk)]))
  }
}
