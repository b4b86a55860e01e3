import { describe, expect, it } from 'vitest'
import type { Protection } from '../../../estate'
import { day, hour, minute } from '../../../units'
import { watchKind } from '..'
import type { Observed } from '../../kind'
import { sentenceText } from '../../sentence'
import type { Values } from '../../parameter'

const at = Date.UTC(2026, 5, 1)
const good: Protection = { scanners: [], firewalls: [], volumes: [], clock: { isSynchronised: true } }
const valuesOf = (kind: string, values: Values): Values => ({
  ...Object.fromEntries(watchKind(kind).parameters.map((parameter) => [parameter.name, parameter.default])),
  ...values,
})
const observed = (protection: Partial<Protection> | null): Observed => ({
  at,
  interval: minute,
  heardAt: at,
  readings: [],
  facts: protection ? { protection: { ...good, ...protection } } : {},
  events: [],
  failed: [],
  zone: 'UTC',
})
/** What a kind says: of each post its level, well, or unknown, and its words. */
function says(kind: string, protection: Partial<Protection> | null, values: Values = {}): string[] {
  return watchKind(kind)
    .observe(valuesOf(kind, values), observed(protection), () => undefined)
    .map(({ failing, well, evidence }) => `${failing[0] ?? (well ? 'well' : 'unknown')}: ${evidence().text}`)
}

describe('antivirus', () => {
  const scanner = (name: string, isOn: boolean | null, more: Partial<Protection['scanners'][number]> = {}) => ({
    name,
    isOn,
    ...more,
  })
  const made = (ago: number) => ({ definitionsAt: at - ago })
  it.each<[string, Protection['scanners'], string[]]>([
    ['none', [], ['warning: antivirus is not there']],
    [
      'one that is on and new',
      [scanner('Shield', true, made(5 * hour))],
      ['well: antivirus is on: Shield', 'well: Shield has definitions that are 5 h old'],
    ],
    ['one that is off', [scanner('Shield', false, made(9 * day))], ['critical: antivirus is off: Shield']],
    [
      'one that rests while another is on',
      [scanner('Own', false, made(40 * day)), scanner('Shield', true, { isOutdated: false })],
      ['well: antivirus is on: Shield', 'well: Shield says that its definitions are new'],
    ],
    [
      'old definitions',
      [scanner('Shield', true, made(3 * day + minute))],
      ['well: antivirus is on: Shield', 'warning: Shield has definitions that are 3 d old'],
    ],
    [
      'old by its own word',
      [scanner('Shield', true, { isOutdated: true })],
      ['well: antivirus is on: Shield', 'warning: Shield says that its definitions are old'],
    ],
    [
      'none at all of them',
      [scanner('ClamAV', true, { definitionsAt: null })],
      ['well: antivirus is on: ClamAV', 'warning: ClamAV has no definitions'],
    ],
    [
      'made tomorrow, by a clock that is wrong',
      [scanner('Shield', true, made(-day))],
      ['well: antivirus is on: Shield', 'well: Shield has definitions that are 0 s old'],
    ],
    [
      'one of which nobody can say',
      [scanner('ClamAV', null, { ...made(hour), trouble: 'no daemon' })],
      ['unknown: antivirus cannot be told: ClamAV: no daemon', 'well: ClamAV has definitions that are 1 h old'],
    ],
  ])('%s', (_, scanners, expected) => {
    expect(says('antivirus', { scanners })).toEqual(expected)
  })
  it('of those that are left out nothing is said, and their posts are gone', () => {
    const scanners = [scanner('Shield', true, made(40 * day))]
    expect(says('antivirus', { scanners }, { except: ['Sh*'], none: 'nothing' })).toEqual([
      'well: antivirus is not there',
    ])
    const { gone } = watchKind('antivirus')
    const isGone = (protection: Partial<Protection> | null, instance: string, values: Values = {}) =>
      gone!(valuesOf('antivirus', values), observed(protection), instance)
    expect([
      isGone({ scanners }, 'Shield'),
      isGone({ scanners }, 'Shield', { except: ['Sh*'] }),
      isGone({ scanners: [] }, 'Shield'),
      isGone(null, 'Shield'),
      isGone({ scanners: [] }, ''),
    ]).toEqual([false, true, true, false, false])
  })
})

it.each<[string, string, Partial<Protection>, string[]]>([
  [
    'firewall',
    'by profile',
    {
      firewalls: [
        { name: 'Domain', isOn: true, by: 'Windows' },
        { name: 'Public', isOn: false, by: '' },
        { name: 'IPv6', isOn: false, by: 'ufw' },
        { name: 'IPv4', isOn: null, by: '', trouble: 'not asked yet' },
      ],
    },
    [
      'well: Domain is guarded by Windows',
      'warning: Public is open: no rules',
      'warning: IPv6 is open: ufw lets everything in',
      'unknown: IPv4 cannot be told: not asked yet',
    ],
  ],
  [
    'encryption',
    'and what a start needs is left out',
    {
      volumes: [
        { name: '/', isEncrypted: true },
        { name: '/boot', isEncrypted: false },
        { name: '/boot/efi', isEncrypted: false },
        { name: 'swap', isEncrypted: false },
        { name: 'D:', isEncrypted: null },
      ],
    },
    ['well: / is encrypted', 'warning: swap is not encrypted', 'unknown: D: cannot be told'],
  ],
  ['clock-kept', 'well', {}, ['well: clock is kept right']],
  [
    'clock-kept',
    'not kept',
    { clock: { isSynchronised: false, because: 'no-service' } },
    ['warning: clock is not kept right: nothing on it does'],
  ],
  [
    'clock-kept',
    'not told',
    { clock: { isSynchronised: null, trouble: 'no timedatectl' } },
    ['unknown: clock cannot be told: no timedatectl'],
  ],
])('%s: %s', (kind, _, protection, expected) => {
  expect(says(kind, protection)).toEqual(expected)
})

it.each(['antivirus', 'firewall', 'encryption', 'clock-kept'])('%s says nothing where nothing is told', (kind) => {
  expect(says(kind, null)).toEqual([])
})

it.each<[string, Values, string]>([
  [
    'antivirus',
    {},
    'Of every antivirus program, when none is on for 15 min, raise critical; where there is none, warning; for definitions older than 3 days, warning.',
  ],
  ['antivirus', { off: 'nothing', none: 'nothing', old: 'nothing' }, 'Of every antivirus program, nothing is asked.'],
  [
    'firewall',
    { which: ['IPv4', 'Public'] },
    'When the firewall IPv4, Public lets in what no rule names for 15 min, raise warning.',
  ],
  ['encryption', {}, 'When any volume except /boot, /boot/*, /efi is not encrypted for 24 h, raise warning.'],
  ['encryption', { severity: 'nothing', except: [] }, 'For any volume, nothing is raised.'],
  ['clock-kept', {}, 'When nothing has kept the clock right for 1 h, raise warning; clear when it is kept again.'],
])('%s as a sentence, with %j', (kind, values, text) => {
  expect(sentenceText(watchKind(kind).sentence(valuesOf(kind, values)))).toBe(text)
})
