import pg from 'pg'
import { to } from 'pg-copy-streams'
import { alone, type Db } from './pool'

/** Signature, flags, and the length of a header extension, of which there is none yet. */
const headerSize = 19

/**
 * What a query gives, as the database keeps it: bytes cross as they are, and numbers are not written out there to be
 * read again here. In the binary format of PostgreSQL's COPY, as its documentation has it.
 * @param query without parameters, which COPY does not take
 * @returns of each row the bytes of its columns, without their length; null for null
 * @throws what the database refuses
 */
export async function copyOut(db: Db, query: string): Promise<(DataView | null)[][]> {
  if (db instanceof pg.Pool) {
    const connection = await db.connect()
    try {
      return await copyOut(connection, query)
    } finally {
      connection.release()
    }
  }
  const inTurn = alone.get(db)
  if (inTurn) return inTurn((connection) => copyOut(connection, query))
  const parts: Buffer[] = []
  for await (const part of (db as pg.PoolClient).query(to(`copy (${query}) to stdout (format binary)`)))
    parts.push(part as Buffer)
  const all = Buffer.concat(parts)
  const rows: (DataView | null)[][] = []
  // A count of columns below zero says that nothing follows.
  for (let at = headerSize, count = all.readInt16BE(at); count >= 0; count = all.readInt16BE(at)) {
    at += 2
    const row: (DataView | null)[] = []
    for (let i = 0; i < count; i++) {
      const length = all.readInt32BE(at)
      at += 4
      row.push(length < 0 ? null : new DataView(all.buffer, all.byteOffset + at, length))
      at += Math.max(0, length)
    }
    rows.push(row)
  }
  return rows
}
