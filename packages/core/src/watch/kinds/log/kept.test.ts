import { describe, expect, it } from 'vitest'
import { keepingOf, logsWatched, type Roster } from '../../../policy'
import type { Values } from '../../parameter'
import { sentenceText } from '../../sentence'
import { watchKind } from '../index'

const kind = watchKind('log-kept')
const defaultsOf = (name: string): Values =>
  Object.fromEntries(watchKind(name).parameters.map(({ name: parameter, default: value }) => [parameter, value]))
const line = (name: string, values: Values, standing: 'active' | 'dormant' = 'active') =>
  ({ key: name, kind: name, standing, values: { ...defaultsOf(name), ...values } }) as unknown as Roster[number]

describe('which log entries are kept', () => {
  it('reads as a sentence', () => {
    const sentence = (values: Values) => sentenceText(kind.sentence({ ...defaultsOf('log-kept'), ...values }))
    expect(sentence({})).toBe('Of any log, keep every entry.')
    expect(sentence({ channel: 'journal', level: 'notice' })).toBe(
      'Of the journal log, keep entries at notice or worse, and whatever a watch looks for.',
    )
    expect(sentence({ channel: 'System', level: 'none' })).toBe('Of the System log, keep only what a watch looks for.')
  })
  it('tells nobody of anything, and has none of what only a watch has', () => {
    expect(kind.observe({}, {} as never, () => undefined)).toEqual([])
    expect(kind.parameters.map(({ name }) => name)).toEqual(['channel', 'level'])
  })
  it('is all, where no line says otherwise, and where those that do are paused', () => {
    expect(keepingOf([line('log-match', { source: 'cron' })])).toBeNull()
    expect(keepingOf([line('log-kept', { level: 'error' }, 'dormant')])).toBeNull()
  })
  it('has what every watch of a log looks for, the ends of pairs too', () => {
    const filter = { channel: '', source: '', id: null, level: '', text: '' }
    expect(
      keepingOf([
        line('log-kept', { channel: 'journal', level: 'error' }),
        line('log-match', { source: 'cron' }),
        line('log-absence', { text: 'done' }),
        line('log-pair', { source: 'kernel', text: 'down', 'until.text': 'up' }),
        line('log-match', { source: 'paused' }, 'dormant'),
      ]),
    ).toEqual({
      floors: [{ channel: 'journal', level: 'error' }],
      watched: [
        { ...filter, source: 'cron' },
        { ...filter, text: 'done' },
        { ...filter, source: 'kernel', text: 'down' },
        { ...filter, source: 'kernel', text: 'up' },
      ],
    })
  })
  it('has a log read that it names, unless nothing of it is kept', () => {
    expect(logsWatched([line('log-kept', { channel: 'nginx/error.log', level: 'error' })])).toEqual(['nginx/error.log'])
    expect(logsWatched([line('log-kept', { channel: 'nginx/access.log', level: 'none' })])).toEqual([])
    expect(logsWatched([line('log-kept', { level: 'error' })])).toEqual([])
  })
})
