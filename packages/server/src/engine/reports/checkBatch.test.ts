import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { day, hour, minute, second } from '#core'
import { ProblemError } from '../../http/problems'
import { checkBatch, checkEnvelope, clockOffset, type CheckedReport } from './checkBatch'

const now = Date.parse('2026-11-23T12:00:00Z')
const batch = (reports: unknown[], more: object = {}) =>
  checkBatch(checkEnvelope({ version: 1, sentAt: now, oldest: 1, reports, ...more }), now, 0)
const report = (more: object = {}) => ({ seq: 1, at: now, interval: minute, readings: [], ...more })

describe('checking a batch', () => {
  it('never fails in another way than with a problem, whatever JSON comes', () => {
    const almost = fc.record(
      {
        version: fc.constantFrom(1, 1, 1, 2, '1'),
        sentAt: fc.oneof(fc.constant(now), fc.anything()),
        oldest: fc.oneof(fc.constant(1), fc.anything()),
        reports: fc.array(
          fc.oneof(
            fc.record(
              {
                seq: fc.oneof(fc.nat(), fc.anything()),
                at: fc.oneof(fc.constant(now), fc.anything()),
                interval: fc.oneof(fc.constant(minute), fc.anything()),
                readings: fc.oneof(
                  fc.array(fc.oneof(fc.tuple(fc.string(), fc.string(), fc.anything()), fc.anything())),
                  fc.anything(),
                ),
                events: fc.oneof(fc.array(fc.anything()), fc.anything()),
                facts: fc.anything(),
                failed: fc.anything(),
              },
              { requiredKeys: [] },
            ),
            fc.anything(),
          ),
        ),
      },
      { requiredKeys: [] },
    )
    fc.assert(
      fc.property(fc.oneof(almost, fc.jsonValue()), (value) => {
        let body: unknown
        try {
          body = JSON.parse(JSON.stringify(value) ?? 'null')
        } catch {
          return
        }
        try {
          const checked = checkBatch(checkEnvelope(body), now, 0)
          for (const refusal of checked.refused) expect(refusal.detail.length).toBeGreaterThan(5)
          for (const kept of checked.reports)
            if (!('refused' in kept))
              for (const [, , reading] of kept.readings) expect(Number.isFinite(reading)).toBe(true)
        } catch (error) {
          expect(error).toBeInstanceOf(ProblemError)
        }
      }),
      { numRuns: 400 },
    )
  })
  it('keeps what is right beside what is wrong, in any mixture', () => {
    const good: [string, string, number] = ['cpu.busy', '', 0.5]
    const bad = [['cpu.busy', '', 'NaN'], ['nonsense', '', 1], null, 7, ['cpu.busy'], ['load.5', '', -1]]
    fc.assert(
      fc.property(fc.shuffledSubarray([good, ...bad]), (readings) => {
        const { reports, refused } = batch([report({ readings })])
        const kept = readings.includes(good as never) ? 1 : 0
        expect((reports[0] as { readings: unknown[] }).readings.length).toBe(kept)
        expect(refused.length).toBe(readings.length - kept)
      }),
    )
  })
  it('says where by a JSON pointer (RFC 6901)', () => {
    expect(
      batch([
        report(),
        report({
          seq: 2,
          readings: [
            ['disk.free', '/', 1],
            ['disk.free', '/', 2],
          ],
        }),
      ]).refused,
    ).toEqual([
      {
        seq: 2,
        pointer: '/reports/1/readings/1',
        code: 'reading-twice',
        detail: expect.stringContaining('the first was kept') as string,
        body: ['disk.free', '/', 2],
      },
    ])
  })
  it('marks as late what waited, and not what took its ordinary time', () => {
    const late = (ago: number) => (batch([report({ at: now - ago })]).reports[0] as { late: boolean }).late
    expect([late(5 * second), late(minute), late(10 * minute)]).toEqual([false, false, true])
  })
  it('refuses what is older than the store', () => {
    expect(batch([report({ at: now - 31 * 24 * 60 * minute })]).refused[0]!.code).toBe('too-old')
  })
  it('lets no log entry be younger than the report that carries it', () => {
    const event = { at: now + 5 * minute, channel: 'syslog', source: 's', id: null, level: 'error', text: 't' }
    expect((batch([report({ events: [event] })]).reports[0] as { events: { at: number }[] }).events[0]!.at).toBe(now)
  })
  it('takes the names that agents of version 0.4.0 have for what they do', () => {
    const system = {
      osFamily: 'linux',
      osName: 'Debian 12',
      hostName: 'h',
      cores: 1,
      agentVersion: '0.4.0',
      serviceManager: null,
    }
    const { reports, refused } = batch([report({ facts: { system: { ...system, takesOrders: true, mends: false } } })])
    expect([refused, (reports[0] as CheckedReport).facts.system]).toEqual([
      [],
      { ...system, takesTasks: true, remediates: false },
    ])
  })
  it('keeps all facts but the one that is wrong', () => {
    const { reports, refused } = batch([
      report({ facts: { ports: [{ port: 22, protocol: 'tcp' }], services: [{ name: 'x' }], moon: 'full' } }),
    ])
    expect((reports[0] as CheckedReport).facts).toEqual({ ports: [{ port: 22, protocol: 'tcp' }] })
    expect(refused.map((refusal) => `${refusal.pointer} ${refusal.code}`)).toEqual([
      '/reports/0/facts/services fact-not-valid',
      '/reports/0/facts/moon fact-not-valid',
    ])
  })
  it('counts log entries that are older than is kept, and keeps the others', () => {
    const event = (days: number) => ({
      at: now - days * day,
      channel: 'dpkg.log',
      source: 'dpkg',
      id: null,
      level: 'informational',
      text: 't',
    })
    const [checked] = batch([report({ events: [event(60), event(29), event(400)] })]).reports as CheckedReport[]
    expect([checked!.tooOld, checked!.events.map((event) => event.at)]).toEqual([2, [now - 29 * day]])
  })
})

describe('when a report was made', () => {
  const made = (body: object, envelope: object = {}) => (batch([report(body)], envelope).reports[0] as CheckedReport).at
  it('is known by the time since the machine started, whatever its clock was set to meanwhile', () => {
    expect(made({ at: now + 2 * hour, up: 10 * minute, boot: 'b' }, { up: 15 * minute, boot: 'b' })).toBe(
      now - 5 * minute,
    )
    expect(made({ at: now - 40 * day, up: 10 * minute, boot: 'b' }, { up: 15 * minute, boot: 'b' })).toBe(
      now - 5 * minute,
    )
  })
  it('is by its own clock after a restart, less what that is off now', () => {
    expect(made({ at: now - hour, up: 99 * minute, boot: 'before' }, { up: minute, boot: 'now' })).toBe(now - hour)
    expect(made({ at: now + 7 * minute - hour }, { sentAt: now + 7 * minute })).toBe(now - hour)
  })
  it('is never later than when it was sent: a clock that was set back is put right, not refused', () => {
    expect(made({ at: now + 3 * hour })).toBe(now)
  })
  it('moves its log entries by what the clock was off then', () => {
    const event = { at: now + 2 * hour - minute, channel: 'syslog', source: 's', id: null, level: 'error', text: 't' }
    const [checked] = batch([report({ at: now + 2 * hour, up: 10 * minute, boot: 'b', events: [event] })], {
      up: 15 * minute,
      boot: 'b',
    }).reports as CheckedReport[]
    expect(checked!.events[0]!.at).toBe(now - 6 * minute)
  })
  it('and the times of services with them: since when one runs, and at which looks it had been started', () => {
    const ahead = now + 2 * hour
    const facts = {
      services: [
        { name: 'web', title: '', start: 'automatic', state: 'running', since: ahead - 20 * minute },
        { name: 'job', title: '', start: 'on-demand', state: 'finished' },
      ],
      starts: [{ service: 'web', looks: [{ at: ahead - 3 * minute, count: 2 }] }],
    }
    const [checked] = batch([report({ at: ahead, facts })], { sentAt: ahead }).reports as CheckedReport[]
    expect(checked!.facts.services!.map(({ since }) => since)).toEqual([now - 20 * minute, undefined])
    expect(checked!.facts.starts).toEqual([{ service: 'web', looks: [{ at: now - 3 * minute, count: 2 }] }])
    // Ours as they are where the clocks agree.
    const [same] = batch([report({ at: now, facts })], { sentAt: now }).reports as CheckedReport[]
    expect(same!.facts.starts![0]!.looks[0]!.at).toBe(ahead - 3 * minute)
  })
  it.each([
    ['agrees with ours', 0],
    ['is off by as much as it was', 7 * minute],
  ])('stay as the device tells them while its clock %s, however long the report was on its way', (_, off) => {
    for (const delay of [0, 6, 1006, 4900]) {
      const at = now + off - delay
      const event = { at: at - minute, channel: 'syslog', source: 's', id: null, level: 'error', text: 't' }
      const services = [{ name: 'web', title: '', start: 'automatic', state: 'running', since: at - hour }]
      const one = report({ at, up: 9 * minute, boot: 'b', events: [event], facts: { services } })
      const body = { oldest: 1, sentAt: at, up: 9 * minute, boot: 'b', reports: [one] }
      const [checked] = checkBatch(checkEnvelope({ version: 1, ...body }), now, off).reports as CheckedReport[]
      expect([checked!.facts.services![0]!.since, checked!.events[0]!.at], `${delay} ms`).toEqual([
        now - delay - hour,
        now - delay - minute,
      ])
    }
  })
})

describe('the clock offset', () => {
  it('is nothing within the delay of the way', () => {
    expect([clockOffset(now + 4000, now, 0), clockOffset(now - 5000, now, 0)]).toEqual([0, 0])
  })
  it('is kept while it stays nearly the same, so that corrected times do not shake', () => {
    expect(clockOffset(now + 421_000, now, 420_000)).toBe(420_000)
    expect(clockOffset(now + 430_000, now, 420_000)).toBe(430_000)
  })
})
