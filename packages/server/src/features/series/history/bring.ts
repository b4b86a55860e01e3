import type { Readable } from 'node:stream'
import { day, type DeviceId, type Millis } from '#core'
import { rows, time, type Pool } from '../../../db'
import { judgeHistory } from '../../../engine'
import { retentionDays } from '../../../store/retention'
import { addHistory, type Placed, type Unplaced } from './load'
import { historyLines, readingOf, type HistoryLine, type HistoryMedia } from './lines'

/** So many readings are added at a time: a day of some devices, or a month of one. */
const atOnce = 20_000
/** Of what is refused so many lines are kept with their reasons; all are counted. */
const mostRefusals = 1000

interface Names {
  byName: Map<string, DeviceId[]>
  ids: Set<DeviceId>
}

async function devicesOf(pool: Pool, clientId: number): Promise<Names> {
  const found = await rows<{ id: DeviceId; name: string }>(
    pool,
    'select id, name from device where client_id = $1 and retired_at is null',
    [clientId],
  )
  const byName = new Map<string, DeviceId[]>()
  for (const { id, name } of found) byName.set(name.toLowerCase(), [...(byName.get(name.toLowerCase()) ?? []), id])
  return { byName, ids: new Set(found.map(({ id }) => id)) }
}

/** @returns its number, or why nobody knows which is meant */
function deviceIn(said: string, { byName, ids }: Names, standard: DeviceId | null): DeviceId | string {
  if (said === '') return standard ?? 'There is no device. Name it, or say for all lines which one it is.'
  const named = byName.get(said.toLowerCase())
  if (named?.length === 1) return named[0]!
  if (named) return `There are ${named.length} devices called “${said.slice(0, 100)}”. Give its number.`
  if (/^\d{1,9}$/.test(said) && ids.has(Number(said))) return Number(said)
  return `The client has no device “${said.slice(0, 100)}”. Enrol it first.`
}

/**
 * Reads a file of history to its end, adds what is in order, and notes line by line what is not. How far it came is
 * kept as it goes, with what it has added: broken off, it can be brought again from the beginning. Then it is judged by
 * what watches each device now.
 * @param standard the device of lines that name none
 * @throws Error where the database does not take it; what was added before stays
 */
export async function bringHistory(
  pool: Pool,
  loadId: number,
  clientId: number,
  standard: DeviceId | null,
  body: Readable,
  media: HistoryMedia,
  now: Millis,
): Promise<void> {
  const { hours } = await retentionDays(pool)
  const until = Math.floor(now / day) * day
  const bounds = { from: until - hours * day, until }
  const names = await devicesOf(pool, clientId)
  const told = new Set<DeviceId>()
  let waiting: Placed[] = []
  let refusals: Unplaced[] = []
  const counts = { lines: 0, taken: 0, refused: 0, kept: 0 }
  let [first, last] = [Infinity, -Infinity]
  let alerts = 0

  async function flush(isOver: boolean): Promise<void> {
    const unplaced = waiting.length ? await addHistory(pool, waiting) : []
    counts.taken += waiting.length - unplaced.length
    counts.refused += unplaced.length
    const shown = [...refusals, ...unplaced].slice(0, mostRefusals - counts.kept)
    counts.kept += shown.length
    await pool.query(
      `update history_load set moved_at = now(), lines = $2, taken = $3, refused = $4, devices = $5,
         first_at = least(first_at, $6), last_at = greatest(last_at, $7), refusals = refusals || $8::jsonb,
         ended_at = case when $9 then now() end, alerts = $10
       where id = $1`,
      [
        loadId,
        counts.lines,
        counts.taken,
        counts.refused,
        told.size,
        time(Number.isFinite(first) ? first : null),
        time(Number.isFinite(last) ? last : null),
        JSON.stringify(shown),
        isOver,
        alerts,
      ],
    )
    waiting = []
    refusals = []
  }
  const refuse = (line: number, reason: string) => {
    counts.refused++
    if (counts.kept + refusals.length < mostRefusals) refusals.push({ line, reason })
  }

  /** What is wrong with the file is told as its last line; what is wrong with the database is not taken for that. */
  async function* linesToTheEnd(): AsyncGenerator<HistoryLine> {
    try {
      for await (const line of historyLines(body, media)) {
        counts.lines++
        yield line
      }
    } catch (error) {
      const fault = `The file cannot be read from here on: ${(error as Error).message}`
      yield { line: counts.lines + 1, fields: {}, fault }
    }
  }

  for await (const line of linesToTheEnd()) {
    const reading = readingOf(line, bounds)
    const deviceId = typeof reading === 'string' ? reading : deviceIn(reading.device, names, standard)
    if (typeof reading === 'string' || typeof deviceId === 'string') refuse(line.line, String(deviceId))
    else {
      told.add(deviceId)
      first = Math.min(first, reading.at)
      last = Math.max(last, reading.at)
      waiting.push({ line: line.line, deviceId, ...reading })
    }
    if (waiting.length >= atOnce || counts.lines % atOnce === 0) await flush(false)
  }
  await flush(false)
  for (const deviceId of told) {
    alerts += await judgeHistory(pool, deviceId)
    // Of many devices this takes a while, which is no breaking off.
    await flush(false)
  }
  await flush(true)
}
