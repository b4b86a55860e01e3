import { describe, expect, it } from 'vitest'
import type { Disk, Drive, DriveArray, Facts } from '../../../estate'
import type { DiskDays, Reading } from '../../../series'
import { day, gigabyte, minute } from '../../../units'
import { evaluate, type DeviceState, type PostTransition } from '../../evaluate'
import type { WatchInForce } from '../../inForce'
import type { Observed } from '../../kind'
import type { Values } from '../../parameter'
import { sentenceText } from '../../sentence'
import { watchKind } from '../index'

const watch = (kind: string, values: Values = {}): WatchInForce => ({
  key: 'w',
  kind,
  standing: 'active',
  values: {
    ...Object.fromEntries(watchKind(kind).parameters.map(({ name, default: value }) => [name, value])),
    ...values,
  },
})
const sentenceOf = (kind: string, values: Values = {}) => {
  const { values: all } = watch(kind, values)
  return sentenceText(watchKind(kind).sentence(all))
}
const disk = (mount: string, more: Partial<Disk> = {}): Disk => ({
  mount,
  device: '/dev/sda1',
  fileSystem: 'ext4',
  removable: false,
  size: 500 * gigabyte,
  ...more,
})
const now = 30 * day

function run(
  { kind, values = {} }: { kind: string; values?: Values },
  looks: readonly Partial<Observed>[],
): { said: string[]; state: DeviceState } {
  let state: DeviceState = new Map()
  const transitions: PostTransition[] = []
  looks.forEach((look, i) => {
    const at = look.at ?? now + i * minute
    const found = evaluate(state, [watch(kind, values)], {
      interval: minute,
      zone: 'UTC',
      readings: [],
      events: [],
      failed: [],
      facts: {},
      ...look,
      at,
      heardAt: at,
    })
    expect(found.broken).toEqual([])
    state = found.state
    transitions.push(...found.transitions)
  })
  return {
    state,
    said: transitions.map(
      ({ kind, to, instance, evidence }) => `${kind} ${to ?? 'well'} ${instance}: ${evidence!.text}`,
    ),
  }
}

describe('free disk space and time to full', () => {
  const room = (free: number, size = 500): Reading[] => [
    ['disk.size', '/srv', size * gigabyte],
    ['disk.free', '/srv', free * gigabyte],
  ]
  /** Three weeks of a disk by what was least free on each, in GB. */
  const days = (of: (ago: number) => number, swing = 0): ReadonlyMap<string, DiskDays> => {
    const ago = Array.from({ length: 21 }, (_, i) => 21 - i)
    return new Map([
      [
        '/srv',
        {
          at: ago.map((back) => now - back * day),
          least: ago.map((back) => of(back) * gigabyte),
          most: ago.map((back) => (of(back) + swing) * gigabyte),
        },
      ],
    ])
  }
  const filling = days((ago) => 30 + 10 * ago)
  const steady = days(() => 40)
  const off = { 'warning.percent': null, 'warning.bytes': null, 'critical.percent': null, 'critical.bytes': null }
  const quick = { hold: 0, 'clear.hold': 0 }
  const timed = { ...off, ...quick, 'warning.left': 5 * day, 'critical.left': day, 'clear.left': 6 * day }

  it.each<[string, Values, Reading[], ReadonlyMap<string, DiskDays> | undefined, string[]]>([
    [
      'full within days is told, however much is free, beside share and bytes',
      { ...quick, 'warning.soon': 5 * day },
      room(40),
      filling,
      ['raised warning /srv: 8 % and 40 GB free of 500 GB, full in 4 days'],
    ],
    [
      'and these count without it',
      { ...quick, 'warning.soon': 5 * day },
      room(8),
      steady,
      ['raised critical /srv: 1.6 % and 8 GB free of 500 GB'],
    ],
    [
      'full within days is told, where nothing else is asked',
      timed,
      room(40),
      filling,
      ['raised warning /srv: 8 % and 40 GB free of 500 GB, full in 4 days'],
    ],
    ['one that stays is not', timed, room(40), steady, []],
    ['nor one that nothing is known of yet', timed, room(40), undefined, []],
    ['nor one of which few days are known', timed, room(40), new Map(), []],
    ['share, bytes and time must all be true', { ...quick, 'warning.left': 5 * day }, room(40), filling, []],
    [
      'and are told together',
      { ...quick, 'warning.left': 5 * day, 'critical.left': 2 * day },
      room(9),
      days((ago) => 10 * ago),
      ['raised critical /srv: 1.8 % and 9 GB free of 500 GB, full in 22 hours'],
    ],
    [
      'a disk that is nearly full and stays so needs nobody, where time is asked',
      { ...quick, 'warning.left': 5 * day, 'critical.left': 2 * day },
      room(15),
      days(() => 15),
      [],
    ],
    ['with all off nothing is asked', { ...quick, ...off }, room(1), filling, []],
  ])('%s', (_, values, readings, known, expected) => {
    const look = { readings, facts: {}, ...(known ? { days: known } : {}) }
    expect(run({ kind: 'disk-space', values }, [look]).said).toEqual(expected)
  })
  it('clears when it is not full for long, and in between stays as it is', () => {
    const at = (free: number) => ({ readings: room(free), days: filling })
    expect(run({ kind: 'disk-space', values: timed }, [at(40), at(40), at(90)]).said).toEqual([
      'raised warning /srv: 8 % and 40 GB free of 500 GB, full in 4 days',
      'cleared well /srv: 18 % and 90 GB free of 500 GB, full in 9 days',
    ])
    const later = days((ago) => 45 + 10 * ago)
    expect(run({ kind: 'disk-space', values: timed }, [at(40), { readings: room(55), days: later }]).said).toHaveLength(
      1,
    )
  })
  it('stays raised while its days are not known for a while', () => {
    const { said, state } = run({ kind: 'disk-space', values: timed }, [
      { readings: room(40), days: filling },
      { readings: room(40) },
      { readings: room(40) },
    ])
    expect(said).toHaveLength(1)
    expect(state.get('w|/srv')?.level).toBe('warning')
  })
  it('that is new clears by what is free', () => {
    const values = { ...quick, 'warning.soon': 5 * day, 'clear.left': 6 * day }
    const at = (free: number) => ({ readings: room(free), days: new Map() })
    expect(run({ kind: 'disk-space', values }, [at(8), at(90)]).said).toHaveLength(2)
  })
  it('must be well by both, where either may raise', () => {
    const values = { ...quick, 'warning.soon': 5 * day, 'clear.left': 6 * day }
    const at = (free: number, known: ReadonlyMap<string, DiskDays>) => ({ readings: room(free), days: known })
    const slower = days((ago) => 45 + 10 * ago)
    expect(run({ kind: 'disk-space', values }, [at(40, filling), at(55, slower)]).said).toHaveLength(1)
    expect(run({ kind: 'disk-space', values }, [at(40, filling), at(40, steady)]).said).toHaveLength(2)
  })
  it('tells a disk that a log fills within hours, and not the backup of a night', () => {
    const looks = (free: (minutes: number) => number) =>
      Array.from({ length: 60 }, (_, i) => ({
        at: now + i * minute,
        readings: room(free(i)),
        days: days(() => 100, 60),
      }))
    const values = { ...timed, hold: 15 * minute }
    const { said } = run(
      { kind: 'disk-space', values },
      looks((i) => 80 - i / 2),
    )
    expect(said[0]).toMatch(
      /^raised critical \/srv: 1\d % and \d+ GB free .* full in 2 hours at the pace of the last hours/,
    )
    expect(
      run(
        { kind: 'disk-space', values },
        looks((i) => 159 - i),
      ).said,
    ).toEqual([])
    // Without what was remembered nobody knows how fast it falls, and it is not called well.
    const look = { at: now, heardAt: now, interval: minute, zone: 'UTC', events: [], failed: [], facts: {} }
    const known = days(() => 100, 60)
    const [seen] = watchKind('disk-space').observe(
      watch('disk-space', values).values,
      { ...look, readings: room(60), days: known },
      () => undefined,
    )
    expect(seen).toMatchObject({ failing: [], well: false })
  })
  it('is not asked of what is meant to be read alone', () => {
    const look = { readings: room(0.1), facts: { disks: [disk('/srv', { readOnly: 'meant' })] } }
    expect(run({ kind: 'disk-space', values: quick }, [look]).said).toEqual([])
  })
  it.each<[string, Partial<Disk>, string[]]>([
    ['fixed', {}, ['fixed', 'fixed or removable', 'fixed or network', 'any']],
    ['removable', { removable: true }, ['fixed or removable', 'any']],
    ['network', { remote: true }, ['fixed or network', 'network', 'any']],
  ])('looks at a %s disk only where it is chosen', (_, more, expected) => {
    const media = ['fixed', 'fixed or removable', 'fixed or network', 'network', 'any']
    const look = { readings: room(1), facts: { disks: [disk('/srv', more)] } }
    const values = (choice: string) => ({ ...quick, media: choice })
    const isTold = (choice: string) => run({ kind: 'disk-space', values: values(choice) }, [look]).said.length > 0
    expect(media.filter(isTold)).toEqual(expected)
  })
  it.each<[Values, string]>([
    [
      {},
      'On every fixed disk, when free space is below 10 % and below 20 GB for 15 min, raise warning; below 5 % and below 10 GB, critical; clear above 12 % or 24 GB for 5 min.',
    ],
    [
      { ...off, 'warning.left': 5 * day, 'critical.left': day, 'clear.left': 6 * day, media: 'fixed or network' },
      'On every fixed disk or network share, when it is going to be full within 5 days, for at least 15 min, raise warning; full within 24 h, critical; clear when not full within 6 days for 5 min.',
    ],
    [
      { 'critical.percent': null, 'critical.bytes': null, 'warning.left': 7 * day, disks: ['/srv'] },
      'On disk /srv, when free space is below 10 % and below 20 GB and it is going to be full within 7 days, for at least 15 min, raise warning; clear above 12 % or 24 GB for 5 min.',
    ],
    [
      { 'warning.soon': 5 * day, 'critical.soon': day, 'clear.left': 6 * day },
      'On every fixed disk, when free space is below 10 % and below 20 GB, or it is going to be full within 5 days, for at least 15 min, raise warning; below 5 % and below 10 GB, or full within 24 h, critical; clear above 12 % or 24 GB and when not full within 6 days for 5 min.',
    ],
    [
      { ...off, 'warning.soon': 5 * day },
      'On every fixed disk, when it is going to be full within 5 days, for at least 15 min, raise warning; clear after 5 min well.',
    ],
    [off, 'On every fixed disk, nothing is asked.'],
  ])('reads as a sentence %#', (values, expected) => {
    expect(sentenceOf('disk-space', values)).toBe(expected)
  })
})

describe('free inodes', () => {
  const quick = { hold: 0, 'clear.hold': 0 }
  const at = (free: number): Partial<Observed> => ({
    readings: [['disk.inodes.free', '/srv', free]],
    facts: { disks: [disk('/srv', { inodes: 25_600 })] },
  })
  it('are told, however many bytes are free, and clear a little above', () => {
    expect(run({ kind: 'disk-inodes', values: quick }, [at(0.5), at(0.08), at(0.02), at(0.11), at(0.12)]).said).toEqual(
      [
        'raised warning /srv: /srv has 8 % of its 25,600 inodes free',
        'changed critical /srv: /srv has 2 % of its 25,600 inodes free',
        'cleared well /srv: /srv has 12 % of its 25,600 inodes free',
      ],
    )
  })
  it('of a file system that has no number of them are not asked', () => {
    expect(run({ kind: 'disk-inodes', values: quick }, [{ facts: { disks: [disk('/srv')] } }]).said).toEqual([])
  })
  it('reads as a sentence', () => {
    expect(sentenceOf('disk-inodes')).toBe(
      'On every fixed disk, when free inodes are below 10 % for 15 min, raise warning; below 3 %, critical; clear above 12 % for 5 min.',
    )
  })
})

describe('read-only disks', () => {
  const values = { hold: 0 }
  const at = (more: Partial<Disk>): Partial<Observed> => ({ facts: { disks: [disk('/srv', more)] } })
  it.each<[string, Partial<Disk>, string[]]>([
    [
      'one that the system has made so is told',
      { readOnly: 'fault' },
      ['raised critical /srv: /srv can no longer be written to: the system has made it read-only after an error'],
    ],
    [
      'so is one that somebody mounted so',
      { readOnly: 'changed' },
      ['raised warning /srv: /srv is mounted read-only, unlike its settings'],
    ],
    ['one that is meant to be so is not', { readOnly: 'meant' }, []],
    ['nor one that can be written to', {}, []],
    ['nor one of which nothing can be read', { trouble: 'does not answer' }, []],
  ])('%s', (_, more, expected) => {
    expect(run({ kind: 'disk-read-only', values }, [at(more)]).said).toEqual(expected)
  })
  it('clear when they can be written to, and not while they cannot be looked into', () => {
    const { said } = run({ kind: 'disk-read-only', values }, [
      at({ readOnly: 'fault' }),
      at({ trouble: 'does not answer' }),
      at({}),
    ])
    expect(said.slice(1)).toEqual(['cleared well /srv: /srv can be written to'])
    expect(
      run({ kind: 'disk-read-only', values }, [at({ readOnly: 'fault' }), at({ trouble: 'x' })]).said,
    ).toHaveLength(1)
  })
  it('reads as a sentence', () => {
    expect(sentenceOf('disk-read-only')).toBe(
      'On every fixed disk, when it has been read-only after an error for 2 min, raise critical; when mounted read-only unlike its settings, warning; clear when it can be written to.',
    )
  })
})

describe('drive health', () => {
  const drive = (more: Partial<Drive> = {}): Drive => ({
    name: 'sda',
    model: 'LF2000',
    media: 'hdd',
    passed: true,
    ...more,
  })
  const array = (more: Partial<DriveArray>): DriveArray => ({
    name: 'md0',
    level: 'raid1',
    state: 'well',
    members: 2,
    missing: 0,
    ...more,
  })
  const of = (drives: Drive[], arrays: DriveArray[] = []): Facts => ({ drives: { drives, arrays } })
  const look = (facts: Facts) => run({ kind: 'drive-health' }, [{ facts }]).said

  it.each<[string, Partial<Drive>, string[]]>([
    ['well by its own word', {}, []],
    ['about to fail by its own word', { passed: false }, ['critical', 'says itself that it is about to fail']],
    ['a sector that it may not read again', { pending: 1 }, ['warning', 'has 1 sector that it may not read again']],
    ['sectors that it could not read', { uncorrectable: 8 }, ['warning', 'could not read 8 sectors']],
    ['a few replaced sectors', { reallocated: 9 }, []],
    ['many replaced sectors', { reallocated: 10 }, ['warning', 'has replaced 10 sectors']],
    ['worn', { worn: 0.9 }, ['warning', 'is worn to 90 %']],
    ['not yet worn', { worn: 0.89 }, []],
    ['too few spare blocks', { spare: 0.05, spareLeast: 0.1 }, ['critical', 'has 5 % of its spare blocks left']],
    ['hot', { warnings: ['temperature'] }, ['warning', 'is too hot or too cold']],
    [
      'several at once, the worst counts',
      { passed: false, pending: 3, warnings: ['read-only'] },
      [
        'critical',
        'says itself that it is about to fail, takes nothing more to write, has 3 sectors that it may not read again',
      ],
    ],
    ['one that gives no verdict', { passed: null }, []],
    ['one that cannot be asked', { passed: null, trouble: 'permission denied' }, []],
  ])('%s', (_, more, [severity, text]: string[]) => {
    expect(look(of([drive(more)]))).toEqual(severity ? [`raised ${severity} sda: sda (LF2000) ${text}`] : [])
  })
  it.each<[Partial<DriveArray>, string[]]>([
    [{}, []],
    [{ state: 'checking', progress: 0.4 }, []],
    [{ state: 'degraded', missing: 1 }, ['critical', 'works without 1 of 2 drives']],
    [
      { state: 'rebuilding', missing: 1, progress: 0.25 },
      ['warning', 'is being rebuilt; until then it works without 1 of 2 drives, 25 % done'],
    ],
    [{ state: 'failed' }, ['critical', 'has failed']],
    [{ state: 'unknown' }, []],
  ])('an array: %j', (more, [severity, text]: string[]) => {
    expect(look(of([], [array(more)]))).toEqual(severity ? [`raised ${severity} md0: md0 ${text}`] : [])
  })
  it('is not well because it can no longer be asked, or gives no verdict any more', () => {
    for (const now of [drive({ passed: null, trouble: 'it is not found any more' }), drive({ passed: null })])
      expect(
        run({ kind: 'drive-health' }, [{ facts: of([drive({ passed: false })]) }, { facts: of([now]) }]).said,
      ).toHaveLength(1)
  })
  it('is over once another drive is in its place', () => {
    const { said } = run({ kind: 'drive-health' }, [
      { facts: of([drive({ passed: false })]) },
      { facts: of([drive({ name: 'sdb' })]) },
    ])
    expect(said.slice(1)).toEqual(['cleared well sda: no longer there'])
  })
  it('reads as a sentence', () => {
    expect(sentenceOf('drive-health', { except: ['sdz'] })).toBe(
      'On every drive except sdz, when it is about to fail, raise critical; for bad sectors, or 10 that it has replaced, warning; worn to 90 %, warning; an array without a drive, critical; one being rebuilt, warning.',
    )
  })
})
