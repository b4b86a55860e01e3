import { describe, expect, it } from 'vitest'
import type { CoverageGap } from './coverage'
import { gapGroups, type DeviceGaps } from './gapGroups'

const gap = (need: string, instance: string, more: Partial<CoverageGap> = {}): CoverageGap => ({
  need,
  instance,
  uncollected: false,
  unwatched: true,
  trouble: '',
  ...more,
})
const devices: DeviceGaps[] = [
  { id: 1, clientId: 1, gaps: [gap('web.service', 'nginx')] },
  { id: 2, clientId: 1, gaps: [gap('web.service', 'nginx')] },
  { id: 10, clientId: 2, gaps: [gap('web.service', 'nginx'), gap('web.service', 'apache2')] },
  { id: 9, clientId: 2, gaps: [] },
]
const said = (by: 'need' | 'client' | 'device', of = devices) =>
  gapGroups(of, by).map((group) => [
    group.of,
    group.missing,
    ...group.gaps.map(({ gap: { instance }, deviceIds }) => `${instance} ${deviceIds.join('+')}`),
  ])

describe('gaps in groups', () => {
  it('stand under their role, those of most devices first', () => {
    expect(said('need')).toEqual([['web', 4, 'nginx 1+2+10', 'apache2 10']])
  })
  it('keep for each client and device only its own part, the worst off first, and equal ones by their number', () => {
    expect(said('client')).toEqual([
      [1, 2, 'nginx 1+2'],
      [2, 2, 'apache2 10', 'nginx 10'],
    ])
    expect(said('device').map(([id]) => id)).toEqual([10, 1, 2])
  })
  it('are one only where the same is missing for the same reason', () => {
    const refused = { id: 3, clientId: 1, gaps: [gap('web.service', 'nginx', { trouble: 'no rights' })] }
    expect(said('need', [...devices, refused])[0]).toHaveLength(5)
  })
  it('of no device are none', () => {
    expect(said('need', [])).toEqual([])
  })
})
