import { expect, it } from 'vitest'
import { minute } from '#core'
import { Admission, isLate } from './admission'

/** Work that goes on until it is let go. */
function going(admission: Admission, late: boolean) {
  let finish: () => void = () => undefined
  let seconds: number | null = null
  const done = admission.admit(
    late,
    () =>
      new Promise<string>((resolve) => {
        finish = () => {
          resolve('taken')
        }
      }),
    (said) => {
      seconds = said
    },
  )
  const answer = done.catch((error: { code?: string }) => error.code)
  return { answer, finish: () => finish(), seconds: () => seconds }
}

it('takes what it can work on, turns the rest away with when to come again, and takes again what is done', async () => {
  const admission = new Admission({ live: 2, late: 1 })
  const [first, second] = [going(admission, false), going(admission, false)]
  const third = going(admission, false)
  expect(await third.answer).toBe('too-many-reports')
  expect(third.seconds()).toBeGreaterThanOrEqual(5)
  expect(third.seconds()).toBeLessThanOrEqual(30)
  first.finish()
  expect([await first.answer, second.seconds()]).toEqual(['taken', null])
  const fourth = going(admission, false)
  fourth.finish()
  second.finish()
  expect([await second.answer, await fourth.answer]).toEqual(['taken', 'taken'])
})
it('lets what happens now before what was kept', async () => {
  const admission = new Admission({ live: 3, late: 1 })
  const kept = going(admission, true)
  expect(await going(admission, true).answer).toBe('too-many-reports')
  const live = going(admission, false)
  live.finish()
  kept.finish()
  expect([await live.answer, await kept.answer]).toEqual(['taken', 'taken'])
})
it('frees its place also when the work fails', async () => {
  const admission = new Admission({ live: 1, late: 1 })
  const failing = () =>
    admission.admit(
      true,
      () => Promise.reject(new Error('the database is away')),
      () => undefined,
    )
  await expect(failing()).rejects.toThrow('away')
  await expect(failing()).rejects.toThrow('away')
})
it('tells what was kept by its oldest report, and takes what it cannot read for ordinary', () => {
  const batch = (age: number) => ({ sentAt: 1e12, reports: [{ at: 1e12 - age }, { at: 1e12 }] })
  expect([batch(11 * minute), batch(9 * minute), null, {}, { sentAt: 1, reports: 'x' }].map(isLate)).toEqual([
    true,
    false,
    false,
    false,
    false,
  ])
})
