import { describe, expect, it } from 'vitest'
import { isKept, type LogEvent, type LogFilter, type LogFloor } from '.'

const event = (more: Partial<LogEvent> = {}): LogEvent => ({
  at: 0,
  channel: 'journal',
  source: 'cron',
  id: null,
  level: 'informational',
  text: 'ran',
  ...more,
})
const any: LogFilter = { channel: '', source: '', id: null, level: '', text: '' }

describe('which entries of a log are kept', () => {
  it('all, where nobody says anything', () => {
    expect(isKept(null, event())).toBe(true)
    expect(isKept({ floors: [], watched: [] }, event())).toBe(true)
  })
  it.each<[string, LogFloor[], Partial<LogEvent>, boolean]>([
    ['at the level and above', [{ channel: 'journal', level: 'notice' }], { level: 'notice' }, true],
    ['and not below', [{ channel: 'journal', level: 'notice' }], {}, false],
    ['of logs that nobody speaks of all', [{ channel: 'System', level: 'error' }], {}, true],
    ['of any log', [{ channel: '', level: 'error' }], {}, false],
    ['by a pattern', [{ channel: 'nginx/*', level: 'error' }], { channel: 'nginx/access.log' }, false],
    [
      'by the least urgent of several, in any order',
      [
        { channel: '', level: 'error' },
        { channel: 'journal', level: 'debug' },
        { channel: 'jour*', level: 'none' },
      ],
      {},
      true,
    ],
    ['none', [{ channel: 'journal', level: 'none' }], { level: 'emergency' }, false],
  ])('%s', (_, floors, more, expected) => {
    expect(isKept({ floors, watched: [] }, event(more))).toBe(expected)
    expect(isKept({ floors: floors.toReversed(), watched: [] }, event(more))).toBe(expected)
  })
  it('what a watch looks for, whatever its level', () => {
    const floors: LogFloor[] = [{ channel: '', level: 'none' }]
    expect(isKept({ floors, watched: [{ ...any, source: 'cron' }] }, event())).toBe(true)
    expect(isKept({ floors, watched: [{ ...any, source: 'cron', text: 'failed' }] }, event())).toBe(false)
  })
})
