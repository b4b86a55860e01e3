import { describe, expect, it } from 'vitest'
import { LineJoiner, type LogForm } from './joinLines'
import { readProgramEntry } from './logLine'

function joined(text: string, form?: LogForm): { entries: string[]; form: LogForm } {
  const entries: string[] = []
  const joiner = new LineJoiner(form, ({ head, rest, isContinued }) =>
    entries.push(`${isContinued ? '… ' : ''}${[head, ...rest].join(' / ')}`),
  )
  for (const line of text.split('\n')) joiner.line(line)
  joiner.end()
  return { entries, form: joiner.form }
}

describe('lines of a log are joined to entries', () => {
  it.each<[string, string, string[]]>([
    ['each by itself', 'one\ntwo\nthree', ['one', 'two', 'three']],
    [
      'a Java trace',
      '2026-11-30 12:00:00,123 ERROR [main] failed\njava.lang.IllegalStateException: no\n\tat a.B.c(B.java:7)\nCaused by: x\n\t... 12 more\n2026-11-30 12:00:01,000 INFO next',
      [
        '2026-11-30 12:00:00,123 ERROR [main] failed / java.lang.IllegalStateException: no / \tat a.B.c(B.java:7) / Caused by: x / \t... 12 more',
        '2026-11-30 12:00:01,000 INFO next',
      ],
    ],
    [
      'a Python trace in a log without times',
      'starting\nTraceback (most recent call last):\n  File "a.py", line 1, in <module>\n    x\nValueError: x\ngoing on',
      [
        'starting',
        'Traceback (most recent call last): /   File "a.py", line 1, in <module> /     x / ValueError: x',
        'going on',
      ],
    ],
    [
      'a statement of a database over several lines',
      "2026-11-30 12:00:00.000 UTC [7] STATEMENT:  select 1\n\tfrom t\n\twhere a = 'x'\n2026-11-30 12:00:02.000 UTC [7] LOG:  done",
      [
        "2026-11-30 12:00:00.000 UTC [7] STATEMENT:  select 1 / \tfrom t / \twhere a = 'x'",
        '2026-11-30 12:00:02.000 UTC [7] LOG:  done',
      ],
    ],
    ['an object over several lines', 'told {\n  a: 1,\n}\nnext', ['told { /   a: 1, / }', 'next']],
    [
      'dates of a web server and of old daemons',
      '2026/11/30 12:00:00 [error] 7#7: a\nb\n[30/Nov/2026:12:00:00 +0000] c\nd\nNov 30 12:00:00 host e\nf\n<34>Nov  3 12:00:00 host g',
      [
        '2026/11/30 12:00:00 [error] 7#7: a / b',
        '[30/Nov/2026:12:00:00 +0000] c / d',
        'Nov 30 12:00:00 host e / f',
        '<34>Nov  3 12:00:00 host g',
      ],
    ],
  ])('%s', (_, text, entries) => {
    expect(joined(text).entries).toEqual(entries)
  })
  it('what goes on with an entry of the last reading is told as such', () => {
    const { form } = joined('2026-11-30 12:00:00 ERROR failed')
    expect(joined('Caused by: x\n2026-11-30 12:00:01 INFO next', form).entries).toEqual([
      '… Caused by: x',
      '2026-11-30 12:00:01 INFO next',
    ])
  })
  it('a log that had a time once, and never again, loses no line', () => {
    const lines = Array.from({ length: 200 }, (_, i) => `line ${i}`)
    let { form } = joined('2026-11-30 12:00:00 opened')
    const told: string[] = []
    for (const line of lines) {
      const read = joined(line, form)
      form = read.form
      told.push(...read.entries)
    }
    expect(told.map((entry) => entry.replace('… ', ''))).toEqual(lines)
    expect(joined(['2026-11-30 12:00:00 opened', ...lines].join('\n')).entries.at(-1)).toBe('line 199')
  })
  it('an entry that never ends fills no memory', () => {
    const { entries } = joined(
      ['2026-11-30 12:00:00 x', ...Array.from({ length: 20_000 }, () => `\t${'y'.repeat(80)}`)].join('\n'),
    )
    expect(entries).toHaveLength(1)
    expect(entries[0]!.length).toBeLessThan(9000)
  })
  it('is as urgent as the most urgent of its lines that begin with a word', () => {
    const level = (head: string, ...rest: string[]) => readProgramEntry(head, rest, 'app/app.log', 0, 5)!.level
    expect(level('2026-11-30 12:00:00 INFO run', 'ERROR: disk full')).toBe('error')
    expect(level('2026-11-30 12:00:00 INFO run', '\tat errors.Error(x)')).toBe('informational')
    expect(readProgramEntry('a', ['  b', 'c'], 'app/app.log', 0, 5)!.text).toBe('a\n  b\nc')
  })
})
