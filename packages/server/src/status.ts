import { storageWords } from '#contract'
import { bytesText } from '#core'
import { openPool } from './db'
import { readStorage } from './store/storage'

/** Prints how large the data of a server is, how it grows and how long it is kept. */
const url = process.env.CUSTODE_DATABASE
if (!url) {
  process.stderr.write('CUSTODE_DATABASE is not set: the address of the database, as the server gets it.\n')
  process.exit(1)
}
const pool = openPool(url, 1)
try {
  const { databaseBytes, kinds } = await readStorage(pool)
  const line = (...cells: string[]) =>
    `${cells[0]!.padEnd(34)}${cells
      .slice(1)
      .map((cell) => cell.padStart(14))
      .join('')}\n`
  process.stdout.write(line('', 'size', 'rows', 'a day', 'kept', 'oldest'))
  for (const { kind, bytes, rows, bytesPerDay, days, oldestAt } of kinds)
    process.stdout.write(
      line(
        storageWords[kind],
        kind === 'log-quiet' ? 'in the log' : bytesText(bytes),
        kind === 'log-quiet' ? '' : rows.toLocaleString('en'),
        bytesPerDay === null || kind === 'log-quiet'
          ? ''
          : `${bytesPerDay < 0 ? '−' : '+'}${bytesText(Math.abs(bytesPerDay))}`,
        `${days} days`,
        oldestAt === null ? 'nothing yet' : new Date(oldestAt).toISOString().slice(0, 10),
      ),
    )
  process.stdout.write(`The whole database: ${bytesText(databaseBytes)}.\n`)
} finally {
  await pool.end()
}
