import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { startTimers } from './engine'
import { allJobs } from './jobs'
import { openHouse, type House } from './testing/house'

let house: House
beforeAll(async () => {
  house = await openHouse()
})
afterAll(() => house.close())

describe('what the server does by itself', () => {
  it.each([
    'windows',
    'horizons',
    'silence',
    'remediations',
    'partitions',
    'log hours',
    'sweeps',
    'waves',
    'updates',
    'sessions',
    'attempts',
    'hidden alerts',
    'call-outs',
    'messages',
    'digests',
    'process',
    'who looks',
    'looks',
    'what is usual',
  ])('%s: a round of it ends well', async (name) => {
    const [job] = allJobs(house.pool, house.sending).filter((each) => each.name === name)
    await job!.work(Date.now())
  })
  it('is all tried here', () => {
    expect(allJobs(house.pool, house.sending)).toHaveLength(28)
  })
  it('hours that no board shows any more go', async () => {
    await house.pool.query(
      `insert into log_hour select 1, floor(extract(epoch from now()) / 3600)::int - ago, 1, 0 from unnest('{0, 24, 30}'::int[]) ago`,
    )
    await allJobs(house.pool, house.sending)
      .find((each) => each.name === 'log hours')!
      .work(Date.now())
    expect((await house.pool.query('select from log_hour')).rowCount).toBe(2)
  })
  it('sessions and attempts that are over go', async () => {
    await house.pool.query(
      `insert into session (token_digest, person_id, expires_at) select 'old', min(id), now() - interval '1 minute' from person`,
    )
    await house.pool.query(
      `insert into sign_in_attempt (email, address, at) values ('a', 'b', now() - interval '25 hours'), ('a', 'b', now() - interval '1 hour')`,
    )
    for (const { work } of allJobs(house.pool, house.sending).filter((each) =>
      ['sessions', 'attempts'].includes(each.name),
    ))
      await work(Date.now())
    expect((await house.pool.query(`select from session where token_digest = 'old'`)).rowCount).toBe(0)
    expect((await house.pool.query(`select from sign_in_attempt where email = 'a'`)).rowCount).toBe(1)
    expect((await house.technician('GET', '/api/session')).status).toBe(200)
  })
})

describe('a job', () => {
  it('is done again and again, also after a round that failed, and the others go on; ended, what is under way is waited for', async () => {
    const rounds = { failing: 0, slow: 0 }
    const said: string[] = []
    let isOver = false
    const stop = startTimers(
      [
        {
          name: 'failing',
          every: 5,
          work: () => {
            rounds.failing++
            return Promise.reject(new Error('no'))
          },
        },
        {
          name: 'slow',
          every: 5,
          work: async () => {
            rounds.slow++
            await new Promise((resolve) => setTimeout(resolve, 80))
            isOver = true
          },
        },
      ],
      {
        error: (_, text) => {
          said.push(text)
        },
      },
    )
    await vi.waitFor(
      () => {
        expect([rounds.failing > 2, rounds.slow > 0]).toEqual([true, true])
      },
      { timeout: 20_000 },
    )
    isOver = false
    await vi.waitFor(
      () => {
        expect(rounds.slow).toBeGreaterThan(1)
      },
      { timeout: 20_000 },
    )
    await stop()
    expect([isOver, said[0]]).toEqual([true, 'timer failed'])
    const before = { ...rounds }
    await new Promise((resolve) => setTimeout(resolve, 50))
    expect(rounds).toEqual(before)
  })
})
