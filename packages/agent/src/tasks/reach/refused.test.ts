import { expect, it } from 'vitest'
import { refusedText } from './refused'

it.each([
  [[{ id: 1, name: 'Site root', user: 'root' }], 'The sign-in “Site root” was refused.'],
  [[{ id: 1, user: 'root' }], 'The sign-in root was refused.'],
  [
    [
      { id: 1, name: 'Site root', user: 'root' },
      { id: 2, name: 'Old root', user: 'root' },
    ],
    'Both sign-ins were refused: “Site root” and “Old root”.',
  ],
  [
    [1, 2, 3].map((id) => ({ id, name: `No. ${id}`, user: 'root' })),
    'All 3 sign-ins were refused: “No. 1”, “No. 2” and “No. 3”.',
  ],
])('sign-ins that were refused are told by their names: %#', (trials, text) => {
  expect(refusedText(trials)).toBe(text)
})
