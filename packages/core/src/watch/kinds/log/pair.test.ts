import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { LogEvent } from '../../../eventlog'
import { hour, minute } from '../../../units'
import { evaluate, type DeviceState } from '../../evaluate'
import type { WatchInForce } from '../../inForce'
import type { Values } from '../../parameter'
import { sentenceText } from '../../sentence'
import { watchKind } from '../index'

const kind = watchKind('log-pair')
const defaults = Object.fromEntries(kind.parameters.map(({ name, default: value }) => [name, value]))
const link = { source: 'kernel', text: 'link * down', 'until.text': 'link * up' }

/** A line of a log: in which minute, and what it says. */
type Line = [minutes: number, text: string, more?: Partial<LogEvent>]
const entry = ([minutes, text, more]: Line): LogEvent => ({
  at: minutes * minute,
  channel: 'syslog',
  source: 'kernel',
  id: null,
  level: 'warning',
  text,
  ...more,
})

/** What becomes of the watch's alert when these lines come, with a report every minute. */
function told(values: Values, lines: readonly Line[], until: number, every = 1): string[] {
  const watch: WatchInForce = { key: 'p', kind: 'log-pair', standing: 'active', values: { ...defaults, ...values } }
  let state: DeviceState = new Map()
  const seen: string[] = []
  for (let now = every; now <= until; now += every) {
    const events = lines.filter(([minutes]) => minutes > now - every && minutes <= now).map(entry)
    const observed = { at: now * minute, interval: every * minute, heardAt: now * minute, readings: [], facts: {} }
    const result = evaluate(state, [watch], { ...observed, events, failed: [], zone: 'UTC' })
    state = new Map(JSON.parse(JSON.stringify([...result.state])) as [string, never][])
    seen.push(
      ...result.transitions.map(({ at, kind: what, evidence }) => `${at / minute} ${what}: ${evidence?.text ?? ''}`),
    )
  }
  return seen.map((text) => text.replace('cleared: nothing is open', 'cleared'))
}

describe('an entry until another', () => {
  it.each<[string, Values, Line[], string[]]>([
    [
      'is told when it begins, and over when it ends',
      link,
      [
        [2, 'link eth0 down'],
        [5, 'link eth0 up'],
      ],
      ['2 raised: link eth0 down', '5 cleared'],
    ],
    [
      'is ended only by that of the same thing',
      link,
      [
        [2, 'link eth0 down'],
        [3, 'link eth1 up'],
        [6, 'link eth0 up'],
      ],
      ['2 raised: link eth0 down', '6 cleared'],
    ],
    [
      'stays until all of them have ended',
      link,
      [
        [2, 'link eth0 down'],
        [3, 'link eth1 down'],
        [4, 'link eth0 up'],
        [7, 'link eth1 up'],
      ],
      ['2 raised: link eth0 down', '7 cleared'],
    ],
    [
      'is one however often it is said',
      link,
      [
        [2, 'link eth0 down'],
        [3, 'link eth0 down'],
        [4, 'link eth0 up'],
      ],
      ['2 raised: link eth0 down', '4 cleared'],
    ],
    [
      'whatever the case of letters',
      link,
      [
        [2, 'Link ETH0 Down'],
        [3, 'LINK eth0 UP'],
      ],
      ['2 raised: Link ETH0 Down', '3 cleared'],
    ],
    [
      'that ends between two reports is not told',
      link,
      [
        [2, 'link eth0 down'],
        [2, 'link eth0 up'],
      ],
      [],
    ],
    [
      'that ends within its hold is not told',
      { ...link, hold: 3 * minute },
      [
        [2, 'link eth0 down'],
        [4, 'link eth0 up'],
      ],
      [],
    ],
    ['that outlasts its hold is', { ...link, hold: 3 * minute }, [[2, 'link eth0 down']], ['5 raised: link eth0 down']],
    [
      'an end before any beginning means nothing',
      link,
      [
        [2, 'link eth0 up'],
        [3, 'link eth0 down'],
      ],
      ['3 raised: link eth0 down'],
    ],
    ['of another source is another’s', link, [[2, 'link eth0 down', { source: 'demo' }]], []],
    [
      'where the texts tell no things apart, any end ends it',
      { text: 'on battery', 'until.text': 'on mains' },
      [
        [2, 'ups 1 on battery'],
        [3, 'ups 2 on battery'],
        [4, 'ups 1 on mains'],
      ],
      ['2 raised: ups 1 on battery', '4 cleared'],
    ],
    [
      'by event ids',
      { id: 41, 'until.id': 42 },
      [
        [2, 'a', { id: 41 }],
        [3, 'b', { id: 7 }],
        [4, 'c', { id: 42 }],
      ],
      ['2 raised: a', '4 cleared'],
    ],
    [
      'ended by another source',
      { ...link, 'until.source': 'networkd' },
      [
        [2, 'link eth0 down'],
        [3, 'link eth0 up'],
        [4, 'link eth0 up', { source: 'networkd' }],
      ],
      ['2 raised: link eth0 down', '4 cleared'],
    ],
    [
      'one that both may mean ends it',
      { text: 'backup', 'until.text': 'backup done' },
      [
        [2, 'backup started'],
        [4, 'backup done'],
      ],
      ['2 raised: backup started', '4 cleared'],
    ],
    [
      'ends by itself where somebody says after how long',
      { ...link, forget: 5 * minute },
      [[2, 'link eth0 down']],
      ['2 raised: link eth0 down', '7 cleared'],
    ],
    [
      'without an end that is named nothing ends it',
      { text: 'failed' },
      [
        [2, 'it failed'],
        [3, 'it failed'],
      ],
      ['2 raised: it failed'],
    ],
  ])('%s', (_, values, lines, expected) => {
    expect(told(values, lines, 10)).toEqual(expected)
  })
  it('names the first of those that are open, and how many more', () => {
    const lines: Line[] = ['eth0', 'eth1', 'eth2'].map((name) => [2, `link ${name} down`])
    expect(told(link, lines, 3)).toEqual(['2 raised: link eth0 down (and 2 more)'])
  })
  it('takes up no more things at once than anybody could look at', () => {
    const lines = Array.from({ length: 500 }, (_, i): Line => [2, `link e${i} down`])
    expect(told(link, lines, 3)).toEqual(['2 raised: link e0 down (and 99 more)'])
  })
  it('is open at the end just where something began and has not ended, whatever came in between', () => {
    const line = fc.tuple(fc.integer({ min: 1, max: 60 }), fc.constantFrom('a', 'b'), fc.boolean())
    fc.assert(
      fc.property(fc.array(line, { maxLength: 20 }), fc.integer({ min: 1, max: 7 }), (list, every) => {
        const sorted = list.toSorted((a, b) => a[0] - b[0])
        const lines = sorted.map(([at, name, down]): Line => [at, `link ${name} ${down ? 'down' : 'up'}`])
        const open = new Set<string>()
        for (const [, name, down] of sorted)
          if (down) open.add(name)
          else open.delete(name)
        const last = told(link, lines, 63, every).at(-1)
        expect(last?.includes('raised') ?? false).toBe(open.size > 0)
      }),
    )
  })
  it('reads as a sentence', () => {
    const sentence = (values: Values) => sentenceText(kind.sentence({ ...defaults, ...values }))
    expect(sentence(link)).toBe(
      'In any log, when an entry from kernel saying “link * down” appears, raise warning; clear with an entry saying “link * up”.',
    )
    expect(sentence({ id: 41, 'until.id': 42, hold: 5 * minute, forget: 24 * hour, channel: 'System' })).toBe(
      'In the System log, when an entry from any source with id 41 appears and is not ended for 5 min, raise warning; clear with an entry with id 42, or after 24 h.',
    )
    expect(sentence({ text: 'failed' })).toContain('clear with an entry that nobody has named yet')
  })
})
