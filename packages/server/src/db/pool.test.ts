import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { firstRow, inTransaction, openPool, rows, type Pool } from './pool'

let pool: Pool
beforeAll(() => {
  pool = openPool(inject('databaseUrl'), 3)
})
afterAll(() => pool.end())

const connectionGone = async (pid: number) =>
  (await rows(pool, 'select 1 from pg_stat_activity where pid = $1', [pid])).length === 0

describe('a connection', () => {
  it('that breaks between two statements of a transaction fails the transaction and nothing else; the next has a new one', async () => {
    const broken = inTransaction(pool, async (tx) => {
      const { pid } = (await firstRow<{ pid: number }>(tx, 'select pg_backend_pid() as pid'))!
      await rows(pool, 'select pg_terminate_backend($1)', [pid])
      while (!(await connectionGone(pid))) {
        /* ask again */
      }
      await tx.query('select 1')
    })
    await expect(broken).rejects.toThrow()
    for (let i = 0; i < 5; i++)
      expect(await inTransaction(pool, (tx) => firstRow(tx, 'select 1 as one'))).toEqual({ one: 1 })
  })
})

describe('a transaction', () => {
  it('that fails leaves nothing behind', async () => {
    await pool.query('create table if not exists pool_test (n int)')
    await expect(
      inTransaction(pool, async (tx) => {
        await tx.query('insert into pool_test values (1)')
        throw new Error('no')
      }),
    ).rejects.toThrow('no')
    expect(await rows(pool, 'select n from pool_test')).toEqual([])
    await pool.query('drop table pool_test')
  })
})

describe('what comes from the database', () => {
  it('is a time in milliseconds, to the millisecond and before 1970 too, and a whole number', async () => {
    const at = Date.parse('2026-11-23T12:34:56.789Z')
    expect(
      await firstRow(
        pool,
        'select $1::timestamptz as at, $2::timestamptz as early, 9007199254740991::bigint as large',
        [new Date(at), new Date(-1)],
      ),
    ).toEqual({ at, early: -1, large: Number.MAX_SAFE_INTEGER })
  })
})
