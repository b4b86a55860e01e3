import { describe, expect, it } from 'vitest'
import type { FileTold } from '../../files'
import type { Reading } from '../../series'
import { day, hour, minute, second } from '../../units'
import { evaluate, type DeviceState } from '../evaluate'
import type { WatchInForce } from '../inForce'
import { parameterFault, type Values } from '../parameter'
import { sentenceText } from '../sentence'
import { filesAsked, watchKind } from './index'

const path = '/srv/in/*.csv'
const watch = (values: Values): WatchInForce => ({
  key: 'w',
  kind: 'file',
  standing: 'active',
  values: {
    ...Object.fromEntries(watchKind('file').parameters.map(({ name, default: value }) => [name, value])),
    path,
    ...values,
  },
})

interface Look {
  count?: number
  size?: number
  newest?: number
  oldest?: number
  lines?: number
  told?: Partial<FileTold>
}
/** What it says of looks ten minutes apart; null: the agent tells nothing; 'away': it does not report. */
function said(values: Values, looks: readonly (Look | null | 'away')[], name = path): string[] {
  let state: DeviceState = new Map()
  return looks.flatMap((look, i) => {
    if (look === 'away') return []
    const at = 1e12 + i * 10 * minute
    const { count = 1, size = 1000, newest, oldest, lines, told } = look ?? {}
    const readings: Reading[] = look
      ? [
          ['file.count', name, count],
          ['file.size', name, size],
          ...(newest === undefined ? [] : ([['file.newest', name, newest / second]] satisfies Reading[])),
          ...(oldest === undefined ? [] : ([['file.oldest', name, oldest / second]] satisfies Reading[])),
          ...(lines === undefined ? [] : ([['file.lines', name, lines]] satisfies Reading[])),
        ]
      : []
    const found = evaluate(state, [watch({ checks: 1, ...values })], {
      at,
      heardAt: at,
      interval: 10 * minute,
      zone: 'UTC',
      readings: told?.trouble === undefined ? readings : [],
      events: [],
      failed: [],
      facts: look ? { files: [{ name, ...told }] } : {},
    })
    expect(found.broken).toEqual([])
    state = found.state
    return found.transitions.map((told) => `${i}: ${told.kind} ${told.to ?? 'well'}; ${told.evidence?.text ?? ''}`)
  })
}

describe('what is asked of files', () => {
  it.each([
    ['that one is there', {}, [{}, { count: 0, size: 0 }], 'is not there'],
    ['that there are so many', { least: 3 }, [{ count: 3 }, { count: 2 }], ': there are 2, and at least 3 should'],
    ['that there is none', { least: null, most: 0 }, [{ count: 0 }, { count: 1 }], 'is there'],
    ['that there are no more', { most: 10 }, [{ count: 10 }, { count: 11 }], ': there are 11, more than 10'],
    [
      'that the newest is new',
      { old: 26 * hour },
      [{ newest: 26 * hour }, { newest: 27 * hour }],
      'was not modified for 27 h',
    ],
    [
      'that none waits',
      { waiting: hour },
      [{ oldest: 0 }, { oldest: 90 * minute }],
      'has one that waits for 1 h 30 min',
    ],
    ['that they are not large', { large: 5e9 }, [{ size: 5e9 }, { size: 6e9 }], 'is 6 GB large'],
    ['that they are not small', { small: 1e6 }, [{ size: 1e6 }, { size: 10 }], 'is 10 B small'],
    ['that no line has words', { words: 'oops', lines: 0 }, [{ lines: 0 }, { lines: 3 }], 'has 3 such lines'],
  ] as [string, Values, Look[], string][])('%s', (_, values, looks, says) => {
    const name = values.words ? `“oops” in ${path}` : path
    const [told, ...others] = said(values, looks, name)
    expect(others).toEqual([])
    expect(told).toBe(`1: raised warning; ${name}${says.startsWith(':') ? '' : ' '}${says}`)
  })
  it('that they do not grow by much: over the time that is looked back over, and not in all', () => {
    const grows = { growth: 1e6, 'growth.within': hour }
    expect(
      said(
        grows,
        [0, 1, 2, 3, 4, 5, 6, 7, 8].map((n) => ({ size: n * 1e5 })),
      ),
    ).toEqual([])
    expect(
      said(grows, [{ size: 0 }, { size: 0 }, { size: 2e6 }, ...Array.from({ length: 8 }, () => ({ size: 2e6 }))]),
    ).toEqual([`2: raised warning; ${path} grew by 2 MB within 1 h`, `7: cleared well; ${path} is as it should be`])
  })
  it('nor between the first two looks, nor while nothing was heard of the device', () => {
    const grows = { growth: 1e6, 'growth.within': hour }
    const raised = (at: number) => `${at}: raised warning; ${path} grew by 2 MB within 1 h`
    expect(said(grows, [{ size: 0 }, { size: 2e6 }])).toEqual([raised(1)])
    expect(said(grows, [{ size: 0 }, { size: 0 }, 'away', 'away', 'away', { size: 2e6 }])).toEqual([raised(5)])
    expect(said(grows, [{ size: 0 }, null, null, null, { size: 2e6 }])).toContain(raised(4))
    const forLong = Array.from({ length: 6 }, () => 'away' as const)
    expect(said(grows, [{ size: 0 }, ...forLong, { size: 2e6 }])).toEqual([])
  })
  it('that what stands in it does not change; one that is gone for a moment has not', () => {
    const digest = (text: string) => ({ told: { digest: text } })
    const looks = [digest('a'), digest('a'), { count: 0, told: {} }, digest('a'), digest('b'), digest('b'), digest('b')]
    expect(said({ least: null, changed: 20 * minute }, looks)).toEqual([
      `4: raised warning; ${path} was changed`,
      `6: cleared well; ${path} is as it should be`,
    ])
  })
  it('what cannot be looked at is neither there nor gone, and is told', () => {
    const trouble = { told: { trouble: 'the agent may not look into /srv/in' } }
    expect(said({}, [{}, trouble, {}])).toEqual([
      `1: raised warning; ${path} cannot be looked at: the agent may not look into /srv/in`,
      `2: cleared well; ${path} is as it should be`,
    ])
    expect(said({ trouble: 'nothing' }, [{ count: 0 }, trouble, trouble])).toHaveLength(1)
    expect(said({}, [null, null, null])).toEqual([])
  })
  it('a file that is being replaced is gone for a moment', () => {
    expect(said({ checks: 2 }, [{}, { count: 0 }, {}, { count: 0 }, {}])).toEqual([])
  })
})

describe('what an agent is asked for', () => {
  it('nothing of what is no path; words only where they count, a digest only where it matters', () => {
    const ask = (values: Values) => filesAsked('file', watch(values).values)
    expect(ask({ path: '' })).toBeNull()
    expect(ask({ path: 'in/*.csv' })).toBeNull()
    expect(ask({ words: 'oops' })).toEqual({ path, words: '' })
    expect(ask({ words: 'oops', lines: 0, changed: hour })).toEqual({ path, words: 'oops', digest: true })
    expect(ask({ path: 'C:\\Export\\*.xml' })).toEqual({ path: 'C:\\Export\\*.xml', words: '' })
  })
  it.each(['in/x', '~/x', '/srv/../etc/shadow', '/srv/./x', `/${'x'.repeat(300)}`])(
    '%s is refused, with what to do',
    (text) => {
      const parameter = watchKind('file').parameters.find(({ name }) => name === 'path')!
      expect(parameterFault(parameter, text)).toMatch(/needs a path from the root/)
    },
  )
})

describe('as a sentence', () => {
  it.each([
    [
      {},
      'Of /srv/in/*.csv: when there is none, in 2 checks in a row, raise warning; when they cannot be looked at, warning; clear after as many good ones.',
    ],
    [
      { path: '/backup/night.tar', old: 26 * hour, small: 1e9, trouble: 'nothing', severity: 'critical' },
      'Of /backup/night.tar: when there is none, the newest is older than 26 h or they are smaller than 1 GB, in 2 checks in a row, raise critical; clear after as many good ones.',
    ],
    [{ least: null }, 'Of /srv/in/*.csv, nothing is asked.'],
    [
      { least: null, most: 0, words: 'oops', lines: 3, changed: day, trouble: 'nothing' },
      'Of /srv/in/*.csv: when there is one, more than 3 lines have “oops” or what stands in it changed within 24 h, in 2 checks in a row, raise warning; clear after as many good ones.',
    ],
  ] as [Values, string][])('%j', (values, text) =>
    expect(sentenceText(watchKind('file').sentence(watch(values).values))).toBe(text),
  )
})
