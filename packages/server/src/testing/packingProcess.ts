import { setTimeout as wait } from 'node:timers/promises'
import { day } from '#core'
import { openPool } from '../db'
import { packReadings } from '../engine/packing'
import { applyRetention } from '../engine/retention'

// Packs readings without a rest, and drops what is old, as of as many days ahead as it is told: started by a test that
// ends it, and its database, at any moment.
const pool = openPool(process.env.DATABASE_URL!, 3)
const ahead = Number(process.env.DAYS_AHEAD ?? 0)
process.stdout.write('running\n')
for (;;) {
  await packReadings(pool, Date.now() + Math.min(ahead, 1) * day, async () => undefined).catch(() => undefined)
  if (ahead > 0) await applyRetention(pool, Date.now() + ahead * day).catch(() => undefined)
  await wait(5)
}
