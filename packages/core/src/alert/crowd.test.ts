import { describe, expect, it } from 'vitest'
import { crowd, type Standing } from './crowd'

const steps = (...alerts: (Omit<Standing, 'count'> & { count?: number })[]) =>
  crowd(
    alerts.map((alert) => ({ count: 1, ...alert })),
    100,
    160,
    20,
  ).map((step) => [step.at, step.critical, step.warning, step.notice])

describe('how many alerts stood open', () => {
  it('counts an alert in every step that it touches, and one that is open until now', () => {
    expect(steps({ at: 125, until: null, severity: 'critical' })).toEqual([
      [100, 0, 0, 0],
      [120, 1, 0, 0],
      [140, 1, 0, 0],
    ])
    expect(steps({ at: 105, until: 121, severity: 'warning' })).toEqual([
      [100, 0, 1, 0],
      [120, 0, 1, 0],
      [140, 0, 0, 0],
    ])
  })
  it('counts what began before, and leaves out what is beyond', () => {
    expect(
      steps(
        { at: 10, until: 110, severity: 'notice' },
        { at: 10, until: 50, severity: 'critical' },
        { at: 170, until: null, severity: 'critical' },
      ),
    ).toEqual([
      [100, 0, 0, 1],
      [120, 0, 0, 0],
      [140, 0, 0, 0],
    ])
  })
  it('counts several that began and ended together', () => {
    expect(
      steps(
        { at: 100, until: 119, severity: 'critical', count: 3 },
        { at: 119, until: 120, severity: 'critical', count: 2 },
      ),
    ).toEqual([
      [100, 5, 0, 0],
      [120, 2, 0, 0],
      [140, 0, 0, 0],
    ])
  })
  it('has a last step also where the time is no multiple of it', () => {
    expect(crowd([], 0, 50, 20).map((step) => step.at)).toEqual([0, 20, 40])
  })
})
