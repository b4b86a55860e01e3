import { describe, expect, it } from 'vitest'
import type { AlertView, BoardDevice, HeldView } from '#contract'
import { doubtOf, postDoubt, updatesDoubt } from './known'

const at = new Date(2026, 10, 25, 15, 43).getTime()
const device = (more: object = {}) => ({ heardAt: Date.now(), readAt: null, silent: false, failing: [], ...more })

describe('a state on a page', () => {
  it('is not known of a device that was never heard, nor of what was never read', () => {
    expect(doubtOf(device({ heardAt: null }), 'services', false)?.text).toBe('not known')
    expect(doubtOf(device(), 'services', false)).toMatchObject({ text: 'not read', isUnknown: true })
    expect(doubtOf(device({ failing: ['services'] }), 'services', false)?.text).toBe('cannot be read')
  })
  it('is that of then where the device is silent, or its collector fails', () => {
    const today = new Date().setHours(0, 1, 0, 0)
    expect(doubtOf(device({ silent: true, heardAt: today }), 'services', true)).toMatchObject({
      text: 'as of 00:01',
      isUnknown: false,
    })
    // What came late was made before it was heard.
    expect(doubtOf(device({ silent: true, heardAt: at, readAt: today }), 'services', true)?.text).toBe('as of 00:01')
    expect(doubtOf(device({ failing: ['disks'] }), 'disks', true)?.text).toBe('cannot be read now')
  })
  it('is as the page says where it was read just now', () => {
    expect(doubtOf(device({ failing: ['disks'] }), 'services', true)).toBeNull()
  })
})

describe('updates', () => {
  it('are not known where there are no package lists, however many were found', () => {
    const found = { security: 0, other: 0, oldestSecurityAt: null }
    const of = (updates: BoardDevice['updates']) => updatesDoubt({ ...device(), updates })?.text ?? null
    expect([of({ ...found, isKnown: false }), of({ ...found, isKnown: true }), of(null)]).toEqual([
      'not known',
      null,
      'not read',
    ])
  })
})

describe('an alert', () => {
  const alert = (kind: string, more: Partial<AlertView> = {}) =>
    ({
      status: 'open',
      closedAt: null,
      rule: { name: 'x', kind, sentence: [], sources: [] },
      silent: false,
      readAt: at,
      failing: [],
      ...more,
    }) as unknown as AlertView
  const told = (row: AlertView | HeldView) => postDoubt(row)?.text ?? null
  it('is as of the newest report where its device has fallen silent since, unless that is what it is about, or it is over', () => {
    const silent = { silent: true, readAt: new Date().setHours(0, 1, 0, 0) }
    expect([told(alert('service-state')), told(alert('service-state', silent))]).toEqual([null, 'as of 00:01'])
    expect([
      told(alert('silence', silent)),
      told(alert('service-state', { ...silent, status: 'closed', closedAt: at })),
    ]).toEqual([null, null])
    // Others see it, whatever it tells itself.
    expect(told(alert('reach-port', silent))).toBeNull()
    const held = { endedAt: null, rule: alert('service-state').rule, failing: [], ...silent } as unknown as HeldView
    expect([told(held), told({ ...held, endedAt: at })]).toEqual(['as of 00:01', null])
  })
  it('says where what it was seen by cannot be read now', () => {
    const failing: AlertView['failing'] = ['services']
    expect([
      told(alert('service-state', { failing })),
      told(alert('disk-space', { failing })),
      told(alert('collector-fails', { failing })),
    ]).toEqual(['cannot be read now', null, null])
  })
})
