import { describe, expect, it } from 'vitest'
import type { AlertEntry } from '#contract'
import { hour, minute, watchKind, type Observed, type ParameterValue } from '#core'
import { alertWords, entryText, flipText, remediationWords } from './alertWords'

/** What the kind itself says of what it observes. */
function words(kind: string, observed: Partial<Observed>, values: Record<string, ParameterValue> = {}): string {
  const { observe, parameters } = watchKind(kind)
  const all = { ...Object.fromEntries(parameters.map((parameter) => [parameter.name, parameter.default])), ...values }
  const at = Date.UTC(2026, 2, 1)
  const [first] = observe(
    all,
    { at, heardAt: at, readings: [], facts: {}, events: [], failed: [], zone: 'UTC', ...observed } as Observed,
    () => undefined,
  ).filter((observation) => observation.failing.length)
  const { strong, rest } = alertWords({
    instance: first!.instance,
    evidence: first!.evidence(),
    rule: { name: 'Rule', kind, sentence: [], sources: [] },
  })
  return `[${strong}] ${rest}`
}
const service = (name: string, state: 'stopped' | 'failed') => ({
  name,
  title: 'A web server',
  start: 'automatic',
  state,
})

describe('an alert in one sentence', () => {
  it.each<[string, string, Partial<Observed>, Record<string, ParameterValue>?]>([
    ['[orders] is stopped', 'service-state', { facts: { services: [service('orders', 'stopped') as never] } }],
    ['[nginx] has failed', 'service-state', { facts: { services: [service('nginx', 'failed') as never] } }],
    [
      '[Its services] cannot be read: systemctl show: it did not end within 30 s',
      'collector-fails',
      { failed: ['services'], reasons: { services: 'systemctl show: it did not end within 30 s' } },
    ],
    [
      '[Two machines] report as this device: one is a copy of the other. Enrol the copy again',
      'identity-shared',
      { shared: true },
    ],
    [
      '[A restart] is pending',
      'updates',
      { facts: { updates: { listsAt: 1, restartPending: true } as never } },
      { restart: 'notice' },
    ],
  ])('%s', (sentence, kind, observed, values) => {
    expect(words(kind, observed, values)).toBe(sentence)
  })
  it('is told by the name of its rule where it is about nothing else', () => {
    const told = (kind: string, instance: string, text: string) => {
      const { strong, rest } = alertWords({
        instance,
        evidence: { text },
        rule: { name: 'Rule', kind, sentence: [], sources: [] },
      })
      return `[${strong}] ${rest}`
    }
    expect(told('disk-space', '/srv', '4.2 % and 7.6 GB free of 180 GB')).toBe(
      '[/srv] has 4.2 % and 7.6 GB free of 180 GB',
    )
    expect(told('silence', '', 'nothing heard for 7 min')).toBe('[Silent] nothing heard for 7 min')
    expect(told('cpu-busy', '', 'CPU busy 99 %')).toBe('[Rule] CPU busy 99 %')
  })
})

describe('what happened to an alert', () => {
  it.each<[string, Pick<AlertEntry, 'event' | 'detail'>]>([
    ['raised', { event: 'raised', detail: {} }],
    ['raised at the end of maintenance', { event: 'raised-after-maintenance', detail: {} }],
    ['warning → critical', { event: 'severity-changed', detail: { from: 'warning', to: 'critical' } }],
    ['cleared by itself', { event: 'closed', detail: { reason: 'cleared' } }],
    ['closed by hand', { event: 'closed', detail: { reason: 'by-hand' } }],
    ['asked its agent to restart nginx', { event: 'asked', detail: { verb: 'restart', service: 'nginx' } }],
    ['its agent started nginx', { event: 'attempted', detail: { verb: 'start', service: 'nginx', succeeded: true } }],
    [
      'its agent could not stop nginx',
      { event: 'attempted', detail: { verb: 'stop', service: 'nginx', succeeded: false } },
    ],
  ])('%s', (words, entry) => {
    expect(entryText(entry)).toBe(words)
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
    [[tried('failed'), tried('done')], null, 'its agent started nginx, attempt 2; whether that helps shows soon'],
    [[tried('failed')], null, 'its agent could not start nginx; it is tried again, or a person is told'],
    [[tried('done')], 'cleared', 'put right: its agent started nginx'],
    [[], 'cleared', 'well by itself'],
    [[tried('failed')], 'cleared', 'well by itself'],
    [[tried('failed'), tried('failed')], 'raised', 'its agent could not start nginx, attempt 2'],
    [[], 'held', 'nothing was tried'],
  ] as const)('%j, %s: %s', (attempts, outcome, words) => {
    expect(remediationWords({ attempts: [...attempts], outcome })).toBe(words)
  })
})

describe('what flips', () => {
  const now = Date.UTC(2026, 2, 1, 12)
  const ago = (...times: number[]) => ({ flips: times.map((time) => now - time), wellSince: null })
  it.each([
    ['is told of the hour', ago(50 * minute, 30 * minute, minute), 'flips: failed 3 times in the last hour'],
    ['or of the day', ago(26 * hour, 15 * hour, 10 * hour, 30 * minute), 'flips: failed 3 times in the last day'],
    ['also when it was long ago', ago(30 * hour, 28 * hour, 27 * hour), 'flips: steady for a day'],
    ['or when it does not', ago(), ''],
  ])('%s', (_, alert, text) => {
    expect(flipText(alert, now)).toBe(text)
  })
})
