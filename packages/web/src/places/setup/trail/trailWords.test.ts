import { describe, expect, it } from 'vitest'
import { doneText, pathOf, told, whatText } from './trailWords'

describe('a line of the audit trail', () => {
  it('says what was done with an alert in words, and all else as it is kept', () => {
    expect(doneText({ kind: 'alert', action: 'given-back' })).toBe('gave back')
    expect(doneText({ kind: 'alert', action: 'closed' })).toBe('closed')
    expect(doneText({ kind: 'window', action: 'taken' })).toBe('taken')
  })
  it('leads to what has a page', () => {
    expect(pathOf({ kind: 'service', objectId: 7 })).toBe('/estate/7')
    expect(pathOf({ kind: 'window', objectId: 3 })).toBe('/maintenance/3')
    expect(pathOf({ kind: 'site', objectId: 3 })).toBeNull()
    expect(pathOf({ kind: 'device', objectId: null })).toBeNull()
  })
  it('names fields in words, and leaves out what says nothing', () => {
    expect(['clientIds', 'standingRules', 'tags'].map(whatText)).toEqual(['sees clients', 'standing rules', 'tags'])
    const change = (what: string, before: string | null, after: string | null) => ({ what, before, after })
    const changes = [
      change('name', null, 'bb-1'),
      change('tags', null, '[]'),
      change('roles', '["web"]', '[]'),
      change('reason', null, ''),
      change('site', '4', null),
      change('zone', null, 'Europe/Lisbon'),
    ]
    expect(told({ name: 'bb-1', changes }).map(({ what }) => what)).toEqual(['roles', 'site', 'zone'])
  })
})
