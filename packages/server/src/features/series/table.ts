import type { FastifyReply } from 'fastify'
import { stringify } from 'csv-stringify'
import { pipeline, Readable } from 'node:stream'
import type { ReadingsPart } from '#contract'
import { day, noSamples, type MetricName, type Millis } from '#core'
import type { Db } from '../../db'
import { readReadings } from '../../store/series'

/** Readings of one series before a time, the newest first, so many at most. */
export async function readingsPart(
  db: Db,
  deviceId: number,
  metric: MetricName,
  instance: string,
  { from, until, limit }: { from: Millis; until: Millis; limit: number },
): Promise<ReadingsPart> {
  const readings: ReadingsPart['readings'] = []
  let [end, step] = [until, day]
  // A day at a time backwards: of a year only what is shown is unpacked. Over long gaps in longer steps.
  while (end > from && readings.length <= limit) {
    const begin = Math.max(from, end - step)
    const read = await readReadings(db, deviceId, [metric], begin, end)
    const { at, value } = read.get(`${metric}|${instance}`)?.samples ?? noSamples
    for (let i = at.length - 1; i >= 0 && readings.length <= limit; i--) readings.push({ at: at[i]!, value: value[i]! })
    end = begin
    step = at.length ? day : Math.min(2 * step, 32 * day)
  }
  const isMore = readings.length > limit
  const shown = readings.slice(0, limit)
  return { readings: shown, next: isMore ? shown.at(-1)!.at : null }
}

/** A row a reading, day by day, so that a year of everything is never there at once. */
async function* rowsOf(db: Db, deviceId: number, metrics: readonly string[], from: Millis, until: Millis) {
  yield ['time', 'metric', 'instance', 'value']
  for (let begin = from; begin < until; begin = (Math.floor(begin / day) + 1) * day) {
    const read = await readReadings(db, deviceId, metrics, begin, Math.min(until, (Math.floor(begin / day) + 1) * day))
    for (const { metric, instance, samples } of read.values())
      for (let i = 0; i < samples.at.length; i++)
        yield [new Date(samples.at[i]!).toISOString(), metric, instance, samples.value[i]!]
  }
}

/** Sends readings as CSV (RFC 4180), as they come; whoever goes away ends it. */
export function sendReadings(
  reply: FastifyReply,
  db: Db,
  device: { id: number; name: string },
  metrics: readonly string[],
  from: Millis,
  until: Millis,
): FastifyReply {
  // A spreadsheet does not take for a formula what somebody called a disk.
  const csv = stringify({ escape_formulas: true, record_delimiter: 'windows' })
  pipeline(Readable.from(rowsOf(db, device.id, metrics, from, until)), csv, () => undefined)
  const name = device.name.replace(/[^\w.-]/g, '_')
  return reply
    .header('content-disposition', `attachment; filename="${name}-readings.csv"`)
    .type('text/csv; charset=utf-8')
    .send(csv)
}
