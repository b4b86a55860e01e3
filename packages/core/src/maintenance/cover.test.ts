import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { DeviceTraits } from '../estate'
import { coverOf, covers, isCalledOff, isOver, type MaintenanceWindow } from './cover'

const device: DeviceTraits = {
  id: 7,
  name: 'tm-web-1',
  osName: 'Debian 12',
  addresses: [],
  facts: {},
  clientId: 1,
  siteId: 11,
  kind: 'server',
  osFamily: 'linux',
  roles: ['web'],
  tags: [],
}
const post = { device, watch: 'disk.space', instance: '/var', family: 'disk' as const }
const window = (more: Partial<MaintenanceWindow> = {}): MaintenanceWindow => ({
  id: 1,
  occurrence: 1,
  name: 'w',
  clientId: null,
  target: { on: 'everyone' },
  subject: { of: 'all' },
  from: 100,
  until: 200,
  endedAt: null,
  ...more,
})

describe('a window', () => {
  it('covers from its start, included, to its end, not included', () => {
    expect([99, 100, 199, 200].map((at) => covers(window(), post, at))).toEqual([false, true, true, false])
  })
  it('ends early when somebody ends it, and never when it has no end', () => {
    expect(covers(window({ endedAt: 150 }), post, 150)).toBe(false)
    expect(covers(window({ until: null }), post, 1e15)).toBe(true)
  })
  it('that is called off before it begins covers nothing and is over at once', () => {
    const off = window({ endedAt: 100 })
    expect([50, 100, 150].map((at) => [isCalledOff(off), isOver(off, at), covers(off, post, at)])).toEqual(
      Array(3).fill([true, true, false]),
    )
    expect([50, 199, 200].map((at) => isOver(window(), at))).toEqual([false, false, true])
    expect([isCalledOff(window({ endedAt: 150 })), isOver(window({ until: null }), 1e15)]).toEqual([false, false])
  })
  it('covers only when scope, subject and schedule all match', () => {
    expect(covers(window({ target: { on: 'site', siteId: 12 } }), post, 150)).toBe(false)
    expect(covers(window({ target: { on: 'site', siteId: 11 } }), post, 150)).toBe(true)
    expect(covers(window({ subject: { of: 'families', families: ['service'] } }), post, 150)).toBe(false)
    expect(covers(window({ subject: { of: 'families', families: ['disk'] } }), post, 150)).toBe(true)
    expect(covers(window({ subject: { of: 'watches', watches: ['services'] } }), post, 150)).toBe(false)
    expect(covers(window({ subject: { of: 'watches', watches: ['disk.space'] } }), post, 150)).toBe(true)
  })
  it('of single posts covers these and no others of their device', () => {
    const of = (deviceId: number, watch: string, instance: string) =>
      covers(window({ subject: { of: 'posts', posts: [{ deviceId, watch, instance }] } }), post, 150)
    expect([
      of(7, 'disk.space', '/var'),
      of(7, 'disk.space', '/'),
      of(8, 'disk.space', '/var'),
      of(7, 'disk.left', '/var'),
    ]).toEqual([true, false, false, false])
  })
  it('covers the same, however the spans of windows are split and ordered', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 0, max: 50 }), fc.integer({ min: 1, max: 30 })), { maxLength: 6 }),
        fc.integer({ min: 1, max: 29 }),
        (spans, cut) => {
          const whole = spans.map(([from, length], i) => window({ id: i + 1, from, until: from + length }))
          const parts = whole.flatMap((one) => {
            const at = Math.min(one.from + cut, one.until!)
            return [
              { ...one, until: at },
              { ...one, occurrence: 2, from: at },
            ]
          })
          for (let at = 0; at < 90; at++) {
            const covered = coverOf(whole, post, at)
            expect(coverOf(parts.toReversed(), post, at) !== null).toBe(covered !== null)
            expect(coverOf(whole.toReversed(), post, at)?.id).toBe(covered?.id)
          }
        },
      ),
    )
  })
  it('of one client reaches none of its devices that has gone to another', () => {
    const named: Partial<MaintenanceWindow> = { target: { on: 'devices', deviceIds: [7] } }
    expect([1, 2, null].map((clientId) => covers(window({ ...named, clientId }), post, 150))).toEqual([
      true,
      false,
      true,
    ])
  })
  it('that ends last is the one that counts', () => {
    expect(coverOf([window(), window({ id: 2, until: 300 }), window({ id: 3, until: 250 })], post, 150)?.id).toBe(2)
    expect(coverOf([window({ id: 4, until: null }), window({ id: 2, until: 300 })], post, 150)?.id).toBe(4)
    expect(
      coverOf([window({ id: 5, until: null }), window({ id: 4, until: null, occurrence: 2 })], post, 150),
    ).toMatchObject({ id: 4, occurrence: 2 })
    expect(coverOf([window()], post, 250)).toBeNull()
  })
})
