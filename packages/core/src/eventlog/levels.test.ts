import { describe, expect, it } from 'vitest'
import { levelOfPriority, levelOfWindowsEvent, logLevelCode } from './levels'

describe('log levels', () => {
  it('are those of RFC 5424, section 6.2.1, table 2', () => {
    expect([logLevelCode('emergency'), logLevelCode('error'), logLevelCode('debug')]).toEqual([0, 3, 7])
  })
  it('of a priority: the examples of RFC 5424, section 6.5 (34: auth.critical, 165: local4.notice)', () => {
    expect(levelOfPriority(34)).toBe('critical')
    expect(levelOfPriority(165)).toBe('notice')
  })
  it('of a Windows event: 1 critical to 5 verbose ([MS-EVEN6], LevelType)', () => {
    expect([1, 2, 3, 4, 5, 0].map(levelOfWindowsEvent)).toEqual([
      'critical',
      'error',
      'warning',
      'informational',
      'debug',
      'informational',
    ])
  })
})
