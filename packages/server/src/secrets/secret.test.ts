import { expect, it } from 'vitest'
import { makeSecret } from './secret'

it('secrets are all different and can stand in a command as a word', () => {
  const made = Array.from({ length: 2000 }, makeSecret)
  expect(new Set(made).size).toBe(2000)
  for (const secret of made) expect(secret).toMatch(/^[A-Za-z\d][\w-]{31}$/)
})
