import fc from 'fast-check'
import { expect, it } from 'vitest'
import { isOrdinaryBatch, isOrdinaryReport } from './ordinary'
import { reportBatchSchema, reportSchema } from './schema'

const odd = fc.oneof(
  fc.constantFrom(null, 0, -1, 1.5, '', 'x', 'x'.repeat(101), [], {}, true, 1e17, 253_402_300_800_000, NaN, Infinity),
  fc.jsonValue(),
)
const report = {
  seq: 7,
  at: 1_800_000_000_000,
  interval: 60_000,
  readings: [['cpu.busy', '', 0.1]],
  facts: {},
  events: [],
  roster: 'abc',
  rested: [],
  failed: [],
  up: 12.5,
  boot: 'b',
  leftOut: 0,
}
const batch = {
  version: 1,
  sentAt: 1_800_000_000_000,
  oldest: 1,
  reports: [report],
  up: 3,
  boot: 'b',
  instance: 'i',
  machine: 'm',
}
/** One with members taken out, replaced or added. */
const variantOf = (whole: object) =>
  fc
    .record({
      without: fc.subarray(Object.keys(whole)),
      other: fc.dictionary(fc.oneof(fc.constantFrom(...Object.keys(whole)), fc.string()), odd, { maxKeys: 2 }),
    })
    .map(({ without, other }) => ({
      ...Object.fromEntries(Object.entries(whole).filter(([name]) => !without.includes(name))),
      ...other,
    }))

it('what passes the short check passes the schema, whatever is wrong with it', () => {
  for (const [whole, isOrdinary, schema] of [
    [report, isOrdinaryReport, reportSchema],
    [batch, isOrdinaryBatch, reportBatchSchema],
  ] as const)
    fc.assert(
      fc.property(fc.oneof(variantOf(whole), odd), (value) => {
        if (isOrdinary(value)) expect(schema.validate(value, { convert: false }).error).toBeUndefined()
      }),
      { numRuns: 3000 },
    )
})

it('takes what agents send every minute, so that the schemas are asked only about the rest', () => {
  expect(isOrdinaryBatch(batch)).toBe(true)
  expect(isOrdinaryReport(report)).toBe(true)
  const { facts: _facts, events: _events, ...short } = report
  expect(isOrdinaryReport(short)).toBe(true)
})
