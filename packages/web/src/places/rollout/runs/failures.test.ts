import { expect, it } from 'vitest'
import { failuresBy } from './failures'

it('what failed is grouped by why, the commonest first; what did not is left out', () => {
  const members = [
    { state: 'failed', reason: 'no-answer', n: 1 },
    { state: 'failed', reason: 'disk-full', n: 2 },
    { state: 'updated', reason: 'disk-full', n: 3 },
    { state: 'failed', reason: 'disk-full', n: 4 },
  ]
  expect(failuresBy(members, (member) => member.reason).map(([why, list]) => [why, list.map(({ n }) => n)])).toEqual([
    ['disk-full', [2, 4]],
    ['no-answer', [1]],
  ])
})
