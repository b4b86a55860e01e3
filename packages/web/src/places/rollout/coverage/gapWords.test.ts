import { describe, expect, it } from 'vitest'
import type { GapView } from '#contract'
import { gapWords, groupGaps } from './gapWords'

const device = (id: number, clientId: number) => ({
  id,
  name: `device-${id}`,
  clientId,
  clientName: `Client ${clientId}`,
  siteName: 'Site',
})
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

describe('gaps by client and by device', () => {
  const gaps = [gap('nginx', device(1, 1), device(2, 1), device(3, 2)), gap('apache2', device(3, 2))]
  it('keep for each only its own part, the worst off first', () => {
    expect(
      groupGaps(gaps, 'client').map((group) => [
        group.title,
        group.gaps.map((gap) => `${gap.instance} ${gap.devices.length}`),
      ]),
    ).toEqual([
      ['Client 1', ['nginx 2']],
      ['Client 2', ['nginx 1', 'apache2 1']],
    ])
    expect(groupGaps(gaps, 'device').map((group) => [group.title, group.path, group.gaps.length])).toEqual([
      ['device-3', '/estate/3', 2],
      ['device-1', '/estate/1', 1],
      ['device-2', '/estate/2', 1],
    ])
  })
  it('stand under their role when grouped by what is missing', () => {
    expect(groupGaps(gaps, 'need')).toEqual([{ title: 'web server', path: null, gaps }])
  })
})
