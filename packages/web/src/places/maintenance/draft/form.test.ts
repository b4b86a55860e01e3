import { describe, expect, it } from 'vitest'
import type { WindowView } from '#contract'
import { hour } from '#core'
import { bodyOf, copyOf, emptyForm, formOf, localText, timesFor } from './form'

const view = (more: Partial<WindowView> = {}): WindowView => ({
  id: 4,
  occurrence: 9,
  revision: 3,
  start: Date.parse('2027-03-02T02:30:00Z'),
  name: 'Patch night',
  reason: 'updates',
  ticket: 'LF-1',
  ownerId: 2,
  owner: 'Mara',
  clientId: 1,
  target: { on: 'site', siteId: 12 },
  subject: { of: 'families', families: ['service'] },
  targetText: '',
  deviceCount: 3,
  from: Date.parse('2027-03-02T05:00:00Z'),
  until: Date.parse('2027-03-02T06:00:00Z'),
  endedAt: null,
  zone: 'Europe/Lisbon',
  starts: '2027-01-05T02:30:00',
  length: 4 * hour,
  rule: 'FREQ=WEEKLY;BYDAY=TU,TH;UNTIL=20280101T000000Z',
  next: null,
  reviewAt: 7,
  createdBy: 'Mara',
  createdAt: 0,
  endedBy: null,
  heldNow: 0,
  heldTotal: 0,
  ...more,
})

describe('the form of a window', () => {
  it.each([
    ['FREQ=DAILY;INTERVAL=3'],
    ['FREQ=WEEKLY;BYDAY=TU,TH;UNTIL=20280101T000000Z'],
    ['FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1;COUNT=4'],
    ['FREQ=YEARLY;BYMONTH=12;BYDAY=1SU'],
    [null],
  ])('says again what the window is, when nothing is touched: %s', (rule) => {
    expect(bodyOf(formOf(view({ rule })), '')).toEqual({
      name: 'Patch night',
      reason: 'updates',
      target: { on: 'site', siteId: 12 },
      subject: { of: 'families', families: ['service'] },
      from: '2027-01-05T02:30:00',
      until: null,
      length: 4 * hour,
      zone: 'Europe/Lisbon',
      rule,
      ownerId: 2,
      ticket: 'LF-1',
      reviewAt: 7,
    })
  })
  it('of one time of it has the times of that one, on the clocks of its zone', () => {
    const window = view()
    expect(formOf(window, window.start)).toMatchObject({ at: '2027-03-02T05:00:00', length: hour })
  })
  it('moved far ahead on its lane, and meant for all: they begin on the day they did, at the time it was moved to', () => {
    const window = view()
    const moved = formOf({ ...window, from: Date.parse('2027-09-07T05:30:00Z') }, window.start)
    expect(timesFor(window, 'all', moved).at).toBe('2027-01-05T06:30:00')
    for (const scope of ['one', 'following'] as const)
      expect(timesFor(window, scope, moved).at).toBe('2027-09-07T06:30:00')
  })
  it('of a copy begins anew, at the same time of day', () => {
    const copy = copyOf(view())
    expect([copy.at.slice(10), copy.at >= localText(Date.now(), 'Europe/Lisbon').slice(0, 10)]).toEqual([
      'T02:30:00',
      true,
    ])
    expect(copy).toMatchObject({ ownerId: null, reviewAt: null, name: 'Patch night' })
  })
  it('of a new one is what it was begun from: devices, a site, or a span that was drawn', () => {
    expect(bodyOf(emptyForm({ clientId: 1 }), 'W')).toMatchObject({
      target: { on: 'client', clientId: 1 },
      from: null,
      length: hour,
      rule: null,
    })
    expect(bodyOf(emptyForm({ clientId: 1, deviceIds: [4, 5] }), 'W').target).toEqual({
      on: 'devices',
      deviceIds: [4, 5],
    })
    const drawn = emptyForm({ clientId: 1, siteId: 2, from: Date.parse('2027-03-02T05:00:00'), length: 2 * hour })
    expect(bodyOf(drawn, 'W')).toMatchObject({
      target: { on: 'site', siteId: 2 },
      from: '2027-03-02T05:00:00',
      length: 2 * hour,
    })
  })
  it('says no end, or an end at a time, only of what comes once', () => {
    const form = emptyForm({ clientId: 1 })
    expect(bodyOf({ ...form, ends: 'open' }, 'W')).toMatchObject({ until: null, length: null })
    expect(bodyOf({ ...form, ends: 'at', untilAt: '2027-01-01T00:00:00' }, 'W')).toMatchObject({
      until: '2027-01-01T00:00:00',
      length: null,
    })
    expect(bodyOf({ ...form, ends: 'at', repeat: 'day' }, 'W')).toMatchObject({ until: null, length: hour })
  })
})
