import { describe, expect, it } from 'vitest'
import type { Updates } from '../../estate'
import { day, hour } from '../../units'
import { updates } from './updates'
import type { Values } from '../parameter'
import { sentenceText } from '../sentence'

const at = 100 * day
const silent = Object.fromEntries(
  ['security', 'other', 'held', 'leftover', 'lists', 'refresh', 'restart', 'outdated'].map((name) => [name, 'nothing']),
)
const defaults: Values = Object.fromEntries(updates.parameters.map(({ name, default: value }) => [name, value]))
const told = (more: Partial<Updates>): Updates => ({
  security: 0,
  other: 0,
  leftover: 0,
  oldestSecurityAt: null,
  oldestOtherAt: null,
  restartPending: false,
  checkedAt: at,
  listsAt: at - hour,
  names: [],
  ...more,
})
const observe = (values: Values, more: Partial<Updates>) =>
  updates.observe(
    { ...defaults, ...silent, ...values },
    {
      at,
      interval: 60_000,
      heardAt: at,
      readings: [],
      facts: { updates: told(more) },
      events: [],
      failed: [],
      zone: 'UTC',
    },
    () => undefined,
  )
/** What is said of one part: its level, *well*, or neither; null: nothing. */
function said(part: string, values: Values, more: Partial<Updates>): string | null {
  const found = observe(values, more).find(({ instance }) => instance === part)
  return found ? (found.failing[0] ?? (found.well ? 'well' : 'neither')) : null
}
const service = (name: string, since: number, isService = true) => ({ name, service: isService, files: [], since })

// Each kind of waiting: how long it may wait, and what it is worth. The severities are the trade's: common practice, no
// source; the waiting times are this product's own.
describe('of what waits', () => {
  it.each<[string, string, Values, Partial<Updates>, string | null]>([
    [
      'a security update within its time',
      'security',
      { security: 'critical', 'security.after': 7 * day },
      { security: 2, oldestSecurityAt: at - 6 * day },
      'well',
    ],
    [
      'a security update beyond it',
      'security',
      { security: 'critical', 'security.after': 7 * day },
      { security: 2, oldestSecurityAt: at - 7 * day },
      'critical',
    ],
    [
      'one of which nobody knows since when, with no patience',
      'security',
      { security: 'warning', 'security.after': 0 },
      { security: 1 },
      'warning',
    ],
    [
      'none, and the lists were never fetched: nobody knows',
      'security',
      { security: 'critical' },
      { listsAt: null },
      'neither',
    ],
    [
      'another update beyond its time',
      'other',
      { other: 'notice', 'other.after': 30 * day },
      { other: 1, oldestOtherAt: at - 31 * day },
      'notice',
    ],
    [
      'one that somebody holds back, for a month',
      'held',
      { held: 'notice' },
      { held: 1, oldestHeldAt: at - 30 * day },
      'notice',
    ],
    [
      'one that is held back does not count as a security update that waits',
      'security',
      { security: 'critical' },
      { held: 1, heldSecurity: 1, oldestHeldAt: 0 },
      'well',
    ],
    ['what is held back, where an older agent does not tell', 'held', { held: 'notice' }, {}, null],
    ['leftovers', 'leftover', { leftover: 'notice' }, { leftover: 3, oldestLeftoverAt: at }, 'notice'],
    [
      'leftovers, not yet for long enough',
      'leftover',
      { leftover: 'notice', 'leftover.after': day },
      { leftover: 3, oldestLeftoverAt: at - hour },
      'well',
    ],
    ['old lists', 'lists', { lists: 'warning' }, { listsAt: at - 8 * day }, 'warning'],
    ['lists that were never fetched', 'lists', { lists: 'warning' }, { listsAt: null }, 'warning'],
    ['the lists’ age, where nobody tells', 'lists', { lists: 'warning' }, { listsAt: undefined }, null],
    [
      'old lists that cannot be fetched are told once',
      'lists',
      { lists: 'warning', refresh: 'warning' },
      { listsAt: at - 8 * day, refresh: { since: at - 8 * day, reason: '' } },
      'well',
    ],
    [
      'old lists that cannot be fetched, where nobody asks for that',
      'lists',
      { lists: 'warning' },
      { listsAt: at - 8 * day, refresh: { since: at - 8 * day, reason: '' } },
      'warning',
    ],
    [
      'fetching that fails since yesterday',
      'refresh',
      { refresh: 'warning' },
      { refresh: { since: at - day, reason: '' } },
      'well',
    ],
    [
      'fetching that fails for two days',
      'refresh',
      { refresh: 'warning' },
      { refresh: { since: at - 2 * day, reason: '' } },
      'warning',
    ],
    ['fetching that went well', 'refresh', { refresh: 'warning' }, { refresh: null }, 'well'],
    ['fetching of which nobody knows', 'refresh', { refresh: 'warning' }, {}, null],
    ['a pending restart', 'restart', { restart: 'notice' }, { restartPending: true, restartSince: at }, 'notice'],
    [
      'a pending restart within its time',
      'restart',
      { restart: 'notice', 'restart.after': 14 * day },
      { restartPending: true, restartSince: at - day },
      'well',
    ],
    [
      'a pending restart, where an older agent does not tell since when',
      'restart',
      { restart: 'notice', 'restart.after': 14 * day },
      { restartPending: true },
      'notice',
    ],
    ['a restart needs no lists', 'restart', { restart: 'notice' }, { listsAt: null }, 'well'],
    [
      'a service on replaced files',
      'outdated',
      { outdated: 'notice' },
      { outdated: [service('nginx', at - 2 * day)] },
      'notice',
    ],
    [
      'a service on files that were replaced just now',
      'outdated',
      { outdated: 'notice' },
      { outdated: [service('nginx', at - hour)] },
      'well',
    ],
    [
      'a session on replaced files is nobody’s to restart',
      'outdated',
      { outdated: 'notice' },
      { outdated: [service('bash', 0, false)] },
      'well',
    ],
    ['replaced files, where nobody could look', 'outdated', { outdated: 'notice' }, {}, null],
  ])('%s', (_, part, values, more, expected) => {
    expect(said(part, values, more)).toBe(expected)
  })
  it('nothing that is not asked for is raised', () => {
    const all = observe(
      {},
      {
        security: 9,
        other: 9,
        leftover: 9,
        held: 9,
        listsAt: null,
        refresh: { since: 0, reason: '' },
        restartPending: true,
        outdated: [service('a', 0)],
      },
    )
    expect(all.flatMap(({ failing }) => failing)).toEqual([])
  })
})

describe('in words', () => {
  const text = (part: string, more: Partial<Updates>) =>
    observe({}, more)
      .find(({ instance }) => instance === part)!
      .evidence().text
  it.each<[string, Partial<Updates>, string]>([
    ['security', { security: 2, oldestSecurityAt: at - 3 * day }, '2 security updates waiting, the oldest for 3 d'],
    [
      'held',
      { held: 3, heldSecurity: 1, oldestHeldAt: at - 40 * day },
      '3 updates held back, 1 of them for security, the oldest for 40 d',
    ],
    [
      'refresh',
      { refresh: { since: at - 3 * day, reason: 'no route' } },
      'package lists could not be fetched for 3 d: no route',
    ],
    ['restart', { restartPending: true, restartSince: at - 2 * day }, 'a restart is pending for 2 d'],
    [
      'outdated',
      { outdated: ['a', 'b', 'c', 'd', 'e', 'f'].map((name) => service(name, at - 2 * day)) },
      '6 services still on files that were replaced: a, b, c, d, e and 1 more, the oldest for 2 d',
    ],
  ])('%s', (part, more, expected) => {
    expect(text(part, more)).toBe(expected)
  })
  it('the rule reads as a sentence, what is not asked for left out', () => {
    const sentence = (values: Values) => sentenceText(updates.sentence({ ...defaults, ...values }))
    expect(sentence({ 'security.after': 7 * day })).toBe(
      'When security updates wait for more than 7 days, raise critical; other updates for more than 0 s, raise warning.',
    )
    expect(sentence({ held: 'notice', refresh: 'warning', restart: 'notice', lists: 'warning' })).toBe(
      'When security updates wait for more than 0 s, raise critical; other updates for more than 0 s, raise warning; for updates that are held back for more than 30 days, raise notice; for package lists older than 7 days, raise warning; for package lists that cannot be fetched for more than 2 days, raise warning; for a pending restart, raise notice.',
    )
  })
})
