import { describe, expect, it } from 'vitest'
import { proposeFloors, type LogVolume } from '.'

const volume = (channel: string, level: LogVolume['level'], entries: number, watched = 0): LogVolume => ({
  ...{ channel, level, entries, watched, devices: 3 },
})

describe('what of a log nobody would miss', () => {
  it('is what is quieter than a notice, where that is most of it; the most first', () => {
    expect(
      proposeFloors([
        volume('journal', 'error', 100),
        volume('journal', 'notice', 200),
        volume('journal', 'informational', 5000),
        volume('journal', 'debug', 700),
        volume('System', 'informational', 9000),
      ]),
    ).toEqual([
      { channel: 'System', level: 'notice', saves: 9000, of: 9000 },
      { channel: 'journal', level: 'notice', saves: 5700, of: 6000 },
    ])
  })
  it.each<[string, LogVolume[]]>([
    ['nothing of a log that writes little', [volume('cron.log', 'informational', 400)]],
    ['nothing where watches look for it', [volume('journal', 'informational', 1000, 600)]],
    ['nothing where most is urgent', [volume('journal', 'informational', 1000), volume('journal', 'error', 1001)]],
    ['nothing of nothing', []],
  ])('%s', (_, volumes) => {
    expect(proposeFloors(volumes)).toEqual([])
  })
})
