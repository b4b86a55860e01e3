import { afterAll, beforeAll, expect, it } from 'vitest'
import { openHouse, type House } from '../testing/house'
import { readAsOf } from './asOf'
import { copyOut } from './copyOut'
import { inTransaction, rows } from './pool'

let house: House
beforeAll(async () => {
  house = await openHouse()
})
afterAll(() => house.close())

it('gives every column of every row, in the bytes of the database, and null as null', async () => {
  const [first, second, ...more] = await copyOut(
    house.pool,
    `select n, n * 1.5::float8, case n when 2 then null else 'Zoë' end from generate_series(1, 2) n`,
  )
  expect(more).toEqual([])
  expect([first![0]!.getInt32(0), first![1]!.getFloat64(0)]).toEqual([1, 1.5])
  expect(Buffer.from(first![2]!.buffer, first![2]!.byteOffset, first![2]!.byteLength).toString()).toBe('Zoë')
  expect([second![0]!.getInt32(0), second![1]!.getFloat64(0), second![2]]).toEqual([2, 3, null])
  expect(await copyOut(house.pool, 'select 1 where false')).toEqual([])
})

it('comes in many pieces, and is whole', async () => {
  const found = await copyOut(house.pool, `select n, repeat('x', 5000) from generate_series(1, 2000) n`)
  expect(found.map(([n]) => n!.getInt32(0))).toEqual(Array.from({ length: 2000 }, (_, i) => i + 1))
  expect(found.every(([, text]) => text!.byteLength === 5000)).toBe(true)
})

it('what the database refuses, at once or on the way, is thrown, and the connection goes on', async () => {
  await inTransaction(house.pool, async (tx) => {
    await tx.query('savepoint here')
    await expect(copyOut(tx, 'select missing from nowhere')).rejects.toThrow(/nowhere/)
    await tx.query('rollback to here')
    await expect(copyOut(tx, 'select 1 / (5000 - n) from generate_series(1, 9000) n')).rejects.toThrow(/zero/)
    await tx.query('rollback to here')
    expect(await rows(tx, 'select 1 as one')).toEqual([{ one: 1 }])
  })
})

it('a connection that is cut off on the way is an error, not the end of what was asked for', async () => {
  const pool = house.pool
  const cut = inTransaction(pool, async (tx) => {
    const [own] = await rows<{ pid: number }>(tx, 'select pg_backend_pid() as pid')
    const copying = copyOut(tx, 'select n, pg_sleep(0.001) from generate_series(1, 60000) n')
    // It is waited for in a moment.
    copying.catch(() => undefined)
    await rows(pool, 'select pg_terminate_backend($1), pg_sleep(0.2)', [own!.pid])
    return copying
  })
  await expect(cut).rejects.toThrow()
  expect(await rows(pool, 'select 1 as one')).toEqual([{ one: 1 }])
})

it('as of a time that is over it waits its turn, as any statement', async () => {
  const found = await readAsOf(house.pool, Date.now() - 1000, (db) =>
    Promise.all([
      rows<{ n: number }>(db, 'select 1 as n'),
      copyOut(db, 'select n from generate_series(1, 3) n'),
      copyOut(db, 'select missing from nowhere').catch((error: Error) => error.message),
    ]),
  )
  expect(found[0]).toEqual([{ n: 1 }])
  expect(found[1].map(([n]) => n!.getInt32(0))).toEqual([1, 2, 3])
  expect(found[2]).toContain('nowhere')
  expect(await rows(house.pool, 'select 1 as one')).toEqual([{ one: 1 }])
})
