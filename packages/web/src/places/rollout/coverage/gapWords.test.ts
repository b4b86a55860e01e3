import { describe, expect, it } from 'vitest'
import type { GapView } from '#contract'
import { gapWords } from './gapWords'

const gap = (instance: string, ...devices: GapView['devices']): GapView => ({
  need: 'web.service',
  instance,
  on: 'service',
  role: 'web',
  roleName: 'web server',
  why: '',
  uncollected: false,
  unwatched: true,
  trouble: '',
  total: devices.length,
  devices,
})

describe('a gap in words', () => {
  it('says what is there and what of it is missing', () => {
    expect(gapWords(gap('nginx'))).toEqual({ name: 'nginx', rest: 'runs, not watched' })
    expect(gapWords({ on: 'log', instance: 'mail.err', uncollected: true, unwatched: true, trouble: '' })).toEqual({
      name: 'the log mail.err',
      rest: 'neither collected nor watched',
    })
    expect(
      gapWords({
        on: 'log',
        instance: 'mail.err',
        uncollected: false,
        unwatched: true,
        trouble: 'asked for, and not begun yet',
      }).rest,
    ).toBe('asked for, and not begun yet, not watched')
  })
})
