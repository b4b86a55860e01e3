import { describe, expect, it } from 'vitest'
import { alertWords, remediationWords } from './alertWords'

const words = (kind: string, instance: string, text: string) => {
  const { strong, rest } = alertWords({
    instance,
    evidence: { text },
    rule: { name: 'Rule', kind, sentence: [], sources: [] },
  })
  return `[${strong}] ${rest.trim()}`
}

describe('an alert in one sentence', () => {
  it('names what it is about first', () => {
    expect(words('service-state', 'orders', 'orders is stopped')).toBe('[orders] is stopped')
    expect(words('service-state', 'nginx', 'nginx has failed')).toBe('[nginx] has failed')
    expect(words('service-state', 'nginx', 'A high performance web server and a reverse proxy server is failed')).toBe(
      '[nginx] is failed',
    )
    expect(
      words('collector-fails', 'services', 'its services cannot be read: systemctl show: it did not end within 30 s'),
    ).toBe('[Its services] cannot be read: systemctl show: it did not end within 30 s')
    expect(
      words(
        'identity-shared',
        '',
        'two machines report as this device: one is a copy of the other. Enrol the copy anew',
      ),
    ).toBe('[Two machines] report as this device: one is a copy of the other. Enrol the copy anew')
    expect(words('disk-space', '/srv', '4.2 % and 7.6 GB free of 180 GB')).toBe(
      '[/srv] has 4.2 % and 7.6 GB free of 180 GB',
    )
    expect(words('updates', 'security', '14 security updates waiting, the oldest for 23 d')).toBe(
      '[14 security updates] waiting, the oldest for 23 d',
    )
    expect(words('silence', '', 'nothing heard for 7 min')).toBe('[Silent] nothing heard for 7 min')
    expect(words('cpu-busy', '', 'CPU busy 99 %')).toBe('[Rule] CPU busy 99 %')
  })
})

describe('what an agent tries before anybody is told', () => {
  const tried = (state: 'asked' | 'done' | 'failed') => ({
    verb: 'start' as const,
    service: 'nginx',
    at: 1,
    endedAt: null,
    text: '',
    state,
  })
  it.each([
    [[], null, 'its agent is asked next'],
    [[tried('asked')], null, 'its agent is starting nginx'],
    [[tried('failed'), tried('done')], null, 'its agent started nginx, try 2; whether that helps shows soon'],
    [[tried('failed')], null, 'its agent could not start nginx; it is tried again, or a person is told'],
    [[tried('done')], 'cleared', 'put right: its agent started nginx'],
    [[], 'cleared', 'well by itself'],
    [[tried('failed')], 'cleared', 'well by itself'],
    [[tried('failed'), tried('failed')], 'raised', 'its agent could not start nginx, try 2'],
    [[], 'held', 'nothing was tried'],
  ] as const)('%j, %s: %s', (tries, outcome, words) => {
    expect(remediationWords({ tries: [...tries], outcome })).toBe(words)
  })
})
