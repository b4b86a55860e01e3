import { expect, it } from 'vitest'
import { byVersion } from './version'

// The first seven pre-releases are the standard's own example (semver.org, rule 11, point 4).
it('versions stand in the order of semver.org, rule 11', () => {
  const ordered = [
    'not one',
    '0.9.0',
    '1.0.0-alpha',
    '1.0.0-alpha.1',
    '1.0.0-alpha.beta',
    '1.0.0-beta',
    '1.0.0-beta.2',
    '1.0.0-beta.11',
    '1.0.0-rc.1',
    '1.0.0-rc.10',
    '1.0.0',
    '1.2.0',
    '1.10.0',
    '2.0.0',
    '2.1.0',
    '2.1.1',
  ]
  expect(ordered.toReversed().sort(byVersion)).toEqual(ordered)
  expect(byVersion('1.0.0', '1.0.0')).toBe(0)
})
