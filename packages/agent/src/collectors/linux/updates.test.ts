import { beforeEach, expect, it, vi } from 'vitest'
import { hour, minute, type Millis } from '#core'
import { command } from '../command'
import { updatesCollector } from './updates'

let at: Millis = 0
vi.mock('../../clock', () => ({ steady: () => at }))
vi.mock('../command', () => ({ command: vi.fn() }))
const apt = vi.mocked(command)
beforeEach(() => {
  at = 0
  apt.mockReset()
})

/** Asks once a minute for so long. @returns the minutes in which apt was asked */
async function minutesAsked(collector: ReturnType<typeof updatesCollector>, minutes: number): Promise<number[]> {
  const asked: number[] = []
  for (const end = at + minutes * minute; at < end; at += minute) {
    const before = apt.mock.calls.length
    await Promise.resolve(collector.collect(Date.now())).catch(() => undefined)
    if (apt.mock.calls.length > before) asked.push(at / minute)
  }
  return asked
}

it('after a failure apt is asked again later and later, and the failure stands in the meantime', async () => {
  apt.mockRejectedValue(new Error('apt-get: the lock is held'))
  const collector = updatesCollector(null, false)
  expect(await minutesAsked(collector, 160)).toEqual([0, 5, 15, 35, 75, 155])
  await expect(Promise.resolve(collector.collect(Date.now()))).rejects.toThrow('the lock is held')
})

it('it never waits longer than six hours, and once it succeeds it is asked once a day', async () => {
  apt.mockRejectedValue(new Error('no'))
  const collector = updatesCollector(null, false)
  const failing = await minutesAsked(collector, 48 * 60)
  expect(Math.max(...failing.slice(1).map((minutes, i) => minutes - failing[i]!))).toBe((6 * hour) / minute)
  apt.mockResolvedValue('Inst libssl3 [3.0.14-1] (3.0.15-1 Debian-Security:12/stable-security [amd64])\n')
  at = failing.at(-1)! * minute + 6 * hour
  const found = await Promise.resolve(collector.collect(Date.now()))
  expect(found.facts?.updates).toMatchObject({ security: 1, other: 0 })
  at += minute
  expect(await minutesAsked(collector, 20 * 60)).toEqual([])
})
