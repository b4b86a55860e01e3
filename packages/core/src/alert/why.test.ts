import { describe, expect, it } from 'vitest'
import type { EffectiveWatch, Source } from '../policy'
import { hour, minute } from '../units'
import type { Observed } from '../watch'
import { why, type PostPast } from './why'

const at = Date.parse('2026-11-02T10:00:00Z')
const template: Source = { from: 'template', id: 7, name: 'Base server', revision: 3, target: { on: 'everyone' } }
const watch = (more: Partial<EffectiveWatch> = {}): EffectiveWatch => ({
  key: 'cpu',
  kind: 'cpu-busy',
  name: 'CPU',
  why: '',
  standing: 'active',
  values: {
    warning: 0.9,
    critical: null,
    notice: null,
    hold: 10 * minute,
    clear: 0.8,
    'clear.hold': 5 * minute,
    hours: '',
  },
  chains: {},
  broughtBy: [template],
  leftOutBy: null,
  ...more,
})
const observed = (busy: number, more: Partial<Observed> = {}): Observed => ({
  at: at - minute,
  interval: minute,
  heardAt: at - minute,
  readings: [['cpu.busy', '', busy]],
  facts: {},
  events: [],
  failed: [],
  zone: 'Europe/Lisbon',
  ...more,
})
const device = {
  id: 1,
  name: 'tm-1',
  clientId: 1,
  siteId: 1,
  kind: 'server',
  osFamily: 'linux',
  osName: '',
  roles: [],
  tags: [],
  addresses: [],
  facts: {},
} as PostPast['device']
const past = (more: Partial<PostPast> = {}): PostPast => ({
  at,
  device,
  roster: [watch()],
  watch: 'cpu',
  instance: '',
  observed: observed(0.95),
  level: { level: 'warning', began: at - hour, since: at - hour + 10 * minute, evidence: null },
  windows: [],
  held: null,
  tried: null,
  alert: null,
  dismissed: null,
  ...more,
})
const codes = (more: Partial<PostPast> = {}) => why(past(more)).map(({ code }) => code)
const window = (subject: PostPast['windows'][number]['subject']): PostPast['windows'][number] => ({
  id: 4,
  occurrence: 40,
  name: 'Patch night',
  clientId: 1,
  target: { on: 'everyone' },
  subject,
  from: at - hour,
  until: at + hour,
  endedAt: null,
})

describe('why', () => {
  it.each<[what: string, more: Partial<PostPast>, expected: string[]]>([
    ['is not watched', { roster: [] }, ['not-watched', 'no-alert']],
    ['is paused', { roster: [watch({ standing: 'dormant' })] }, ['dormant', 'no-alert']],
    ['is left out', { roster: [watch({ standing: 'left out', leftOutBy: template })] }, ['left-out', 'no-alert']],
    ['never reported', { observed: null, level: null }, ['watched', 'no-reading', 'no-alert']],
    ['is silent', { observed: observed(0.95, { at: at - hour }), level: null }, ['watched', 'unheard', 'no-alert']],
    [
      'cannot be read',
      { observed: observed(0.95, { failed: ['performance'] }), level: null },
      ['watched', 'collector-failed', 'no-alert'],
    ],
    [
      'is not looked at now',
      { roster: [watch({ values: { ...watch().values, hours: 'Mon–Fri 12:00–20:00' } })], level: null },
      ['watched', 'outside-hours', 'no-alert'],
    ],
    ['is well', { observed: observed(0.1), level: null }, ['watched', 'well', 'no-alert']],
    [
      'is of files that changed, which no single report tells again',
      {
        roster: [
          watch({
            kind: 'file',
            values: {
              path: '/etc/x',
              least: null,
              changed: hour,
              severity: 'warning',
              trouble: 'warning',
              checks: 1,
              hours: '',
            },
          }),
        ],
        observed: observed(0.1, {
          readings: [
            ['file.count', '/etc/x', 1],
            ['file.size', '/etc/x', 1],
          ],
        }),
        level: null,
      },
      ['watched', 'remembered', 'no-alert'],
    ],
    [
      'is judged by a mean, which no single report tells again',
      { roster: [watch({ values: { ...watch().values, by: 'mean', span: hour } })], level: null },
      ['watched', 'remembered', 'no-alert'],
    ],
    [
      'is looked at by others, whatever it tells itself',
      { roster: [watch({ kind: 'reach-port', values: { port: 443, hours: '' } })], observed: null, level: null },
      ['watched', 'not-seen', 'no-alert'],
    ],
    [
      'is neither, between its level and what clears it',
      { observed: observed(0.85), level: null },
      ['watched', 'undecided', 'no-alert'],
    ],
    ['fails, and not for long', { level: null }, ['watched', 'failing', 'not-long-enough', 'no-alert']],
    [
      'is put right',
      { tried: { since: at - 5 * minute, until: null } },
      ['watched', 'failing', 'long-enough', 'trying', 'no-alert'],
    ],
    [
      'could not be put right',
      { tried: { since: at - 5 * minute, until: at - minute }, alert: { id: 9, since: at - minute, carrier: null } },
      ['watched', 'failing', 'long-enough', 'tried', 'not-covered', 'alert'],
    ],
    [
      'was closed by hand',
      { dismissed: { id: 9, since: at - minute } },
      ['watched', 'failing', 'long-enough', 'dismissed', 'no-alert'],
    ],
    [
      'is held',
      { windows: [window({ of: 'all' })], held: { window: 4, since: at - minute } },
      ['watched', 'failing', 'long-enough', 'held', 'no-alert'],
    ],
    [
      'is not what the window holds',
      {
        windows: [window({ of: 'families', families: ['disk'] })],
        alert: { id: 9, since: at - minute, carrier: null },
      },
      ['watched', 'failing', 'long-enough', 'not-named', 'not-covered', 'alert'],
    ],
    [
      'is part of something larger',
      { alert: { id: 9, since: at - minute, carrier: 3 } },
      ['watched', 'failing', 'long-enough', 'not-covered', 'carried'],
    ],
    [
      'is well, and not for long',
      { observed: observed(0.1), alert: { id: 9, since: at - minute, carrier: null } },
      ['watched', 'failing', 'long-enough', 'clearing', 'not-covered', 'alert'],
    ],
    [
      'failed when it was heard last',
      { observed: observed(0.95, { at: at - hour }), alert: { id: 9, since: at - 2 * hour, carrier: null } },
      ['watched', 'unheard', 'failing', 'long-enough', 'not-covered', 'alert'],
    ],
  ])('a post that %s', (_what, more, expected) => {
    expect(codes(more)).toEqual(expected)
  })

  it('says how long each step took, and leads to what decided it', () => {
    const steps = why(
      past({
        tried: { since: at - 5 * minute, until: at - minute },
        alert: { id: 9, since: at - minute, carrier: null },
      }),
    )
    expect(steps.find(({ code }) => code === 'watched')!.sources).toEqual([template])
    expect(steps.find(({ code }) => code === 'long-enough')!.length).toBe(10 * minute)
    expect(steps.find(({ code }) => code === 'tried')!.length).toBe(4 * minute)
    expect(steps.at(-1)).toMatchObject({ code: 'alert', id: 9, at: at - minute })
  })
  it('judges silence by the time that is asked about, not by the newest report', () => {
    const silence = watch({
      key: 'silence',
      kind: 'silence',
      values: { after: 5 * minute, severity: 'critical', hours: '' },
    })
    const quiet = {
      roster: [silence],
      watch: 'silence',
      level: null,
      observed: observed(0, { at: at - hour, heardAt: at - hour }),
    }
    expect(codes(quiet)).toEqual(['watched', 'failing', 'not-long-enough', 'no-alert'])
    expect(codes({ ...quiet, observed: observed(0) })).toEqual(['watched', 'well', 'no-alert'])
  })
  it('never names a step that ended it where there is an alert', () => {
    const alert = { id: 9, since: at - minute, carrier: null }
    for (const more of [
      { observed: null },
      { observed: observed(0.1) },
      { observed: observed(0.95, { failed: ['performance'] }) },
    ] as Partial<PostPast>[])
      expect(why(past({ ...more, alert })).filter(({ result }) => result === 'stopped')).toEqual([])
  })
})
