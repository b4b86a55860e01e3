import { expect, test } from 'vitest'
import { standingAt, stillToSay, type AlertStanding } from './leaving'

const open: AlertStanding = { isOpen: true, holder: null, isQuiet: false }
const taken: AlertStanding = { ...open, holder: 7 }
const over: AlertStanding = { ...open, isOpen: false }
const held: AlertStanding = { ...open, isQuiet: true }

test.each([
  // what was to be said, how the alert stands as it leaves, whether anybody was told, what becomes of it
  ['tell', open, false, 'now'],
  ['tell', taken, false, 'over'],
  ['tell', over, false, 'over'],
  ['tell', held, false, 'later'],
  ['worse', taken, true, 'now'],
  ['worse', over, true, 'over'],
  ['again', taken, true, 'over'],
  ['again', open, true, 'now'],
  ['escalate', taken, true, 'over'],
  ['escalate', open, true, 'now'],
  ['untouched', taken, true, 'now'],
  ['untouched', open, true, 'over'],
  ['well', over, true, 'now'],
  ['well', over, false, 'over'],
  ['well', open, true, 'over'],
] as const)('%s, standing %j, told %s: %s', (step, standing, wasTold, becomes) => {
  expect(stillToSay(step, step === 'untouched' ? 7 : null, standing, wasTold)).toBe(becomes)
})

test('it stands as what happened last left it', () => {
  const story = {
    events: [
      { at: 10, is: 'taken', by: 7 },
      { at: 20, is: 'closed', isWell: true },
      { at: 30, is: 'reopened', keepsHolder: true },
      { at: 40, is: 'given-back' },
    ],
    quiet: [{ because: 'window', from: 12, until: 18 }],
  } as const
  expect([5, 10, 15, 20, 30, 40].map((at) => standingAt(story, at))).toEqual([
    open,
    taken,
    { ...taken, isQuiet: true },
    { ...taken, isOpen: false },
    taken,
    open,
  ])
})
