import { describe, expect, it } from 'vitest'
import { crowd } from './crowd'

const steps = (...alerts: Parameters<typeof crowd>[0]) =>
  crowd(alerts, 100, 160, 20).map((alert) => [alert.at, alert.critical, alert.warning, alert.notice])

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
  it('has a last step also where the time is no multiple of it', () => {
    expect(crowd([], 0, 50, 20).map((group) => group.at)).toEqual([0, 20, 40])
  })
})
