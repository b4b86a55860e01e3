import { spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import pg from 'pg'
import { afterAll, beforeAll, expect, inject, it } from 'vitest'
import type { AlertView, BoardPage, Made } from '#contract'
import { buildApp } from '../app'
import { readMailSettings } from '../engine'
import { openVault } from '../secrets/vault'
import { Agent, assignFromLibrary, openHouse, type House } from '../testing/house'
import { migrate } from './migrate'
import { openPool } from './pool'

// Everything is saved, everything is lost, everything is brought back, by the commands that people use.
let house: House
const folder = mkdtempSync(join(tmpdir(), 'custode-saved-'))
const keys = join(folder, 'keys')
const file = join(folder, 'house.backup')
const other = `restored_${process.pid}`
const otherUrl = inject('databaseUrl').replace(/\/postgres$/, `/${other}`)

const admin = async (sql: string) => {
  const client = new pg.Client({ connectionString: inject('databaseUrl') })
  await client.connect()
  await client.query(sql)
  await client.end()
}
beforeAll(async () => {
  house = await openHouse('', undefined, { vault: openVault(keys) })
  await admin(`create database ${other}`)
})
afterAll(async () => {
  await house.close()
  await admin(`drop database if exists ${other}`)
  rmSync(folder, { recursive: true, force: true })
})

const custode = (words: string[], database: string, keyFolder: string) => {
  const { status, stdout, stderr } = spawnSync('node', ['launcher/main.mjs', ...words], {
    encoding: 'utf8',
    env: { ...process.env, CUSTODE_DATABASE: database, CUSTODE_KEYS: keyFolder },
  })
  return { status, said: `${stdout}${stderr}` }
}

it('after all is lost everything is there again, secrets and their keys, and agents go on where they were', async () => {
  await assignFromLibrary(house, 'Base server')
  const agent = await house.enrol(house.sites[0], 'tm-saved-1')
  const stopped = { services: [{ name: 'orders', title: '', start: 'automatic' as const, state: 'stopped' as const }] }
  await agent.send([agent.report(1, { facts: stopped }), agent.report(2), agent.report(3)])
  const mail = {
    host: '127.0.0.1',
    port: 25,
    security: 'none',
    username: 'custode',
    sender: 'custode@lanternfield.example',
  }
  await house.lead('PUT', '/api/ways/mail', { ...mail, password: 'kept under seal' })
  const before = (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
  expect(before).toHaveLength(1)
  const person = await house.personWith('technician', null)

  const saved = custode(['backup', file], house.url, keys)
  expect([saved.status, saved.said]).toEqual([0, expect.stringContaining('saved')])
  // Nobody else may read it, and nothing is left beside it.
  expect(statSync(file).mode & 0o077).toBe(0)
  expect(readdirSync(folder).sort()).toEqual(['house.backup', 'keys'])
  rmSync(keys, { recursive: true })

  const restored = custode(['restore', file], otherUrl, keys)
  expect([restored.status, restored.said]).toEqual([0, expect.stringContaining('restored')])
  const pool = openPool(otherUrl, 4)
  await migrate(pool, new URL('./migrations', import.meta.url).pathname, Date.now())
  const app = await buildApp({ pool, databaseUrl: otherUrl, vault: openVault(keys) })
  try {
    expect((await readMailSettings(pool, openVault(keys)))!.password).toBe('kept under seal')
    const signedIn = await app.inject({ method: 'POST', url: '/api/session', payload: person.signsInWith })
    const cookie = String(signedIn.headers['set-cookie']).split(';')[0]!
    const read = async <T>(url: string) => (await app.inject({ method: 'GET', url, headers: { cookie } })).json<T>()
    expect((await read<BoardPage>('/api/devices')).devices.map(({ name }) => name)).toEqual(['tm-saved-1'])
    expect(await read<AlertView[]>(`/api/devices/${agent.id}/alerts`)).toMatchObject([
      { id: before[0]!.id, severity: before[0]!.severity },
    ])
    // The agent knows nothing of all this: its next report is taken, and what it sent before is not asked for again.
    const goesOn = new Agent(
      app,
      { deviceId: agent.id, deviceKey: agent.key, firstSeq: agent.seq + 1 } as never,
      agent.began,
    )
    const well = { services: [{ ...stopped.services[0]!, state: 'running' as const }] }
    expect((await goesOn.send([goesOn.report(4), goesOn.report(5, { facts: well })])).status).toBe(200)
    await goesOn.send([goesOn.report(6), goesOn.report(7)])
    expect((await read<AlertView[]>(`/api/devices/${agent.id}/alerts`))[0]!.status).toBe('closed')
    expect((await pool.query<Made>('select id from audit')).rowCount).toBeGreaterThan(3)
  } finally {
    await app.close()
    await pool.end()
  }
})

it('overwrites nothing, and says what is wrong', () => {
  expect(custode(['restore', file], house.url, join(folder, 'no-keys')).said).toContain('has tables already')
  expect(custode(['restore', file], otherUrl, keys).said).toContain('has keys in it already')
  expect(custode(['restore', join(folder, 'nothing')], otherUrl, join(folder, 'none')).said).toContain(
    'There is no file',
  )
  expect(custode(['backup'], house.url, keys).said).toContain('usage: ./custode backup FILE')
  const noise = join(folder, 'noise')
  writeFileSync(noise, 'no archive')
  expect(custode(['restore', noise], otherUrl, join(folder, 'none')).status).toBe(1)
  expect(existsSync(join(folder, 'none'))).toBe(false)
  const away = custode(['backup', join(folder, 'never')], 'postgres://custode:x@127.0.0.1:1/none', keys)
  expect([away.status, existsSync(join(folder, 'never'))]).toEqual([1, false])
})

it('a program that is older than its database says so, and leaves it as it is', async () => {
  const pool = openPool(otherUrl, 1)
  await pool.query(`insert into migration (name) values ('9999_of_a_newer_version.sql')`)
  await expect(migrate(pool, new URL('./migrations', import.meta.url).pathname, Date.now())).rejects.toThrow(
    /newer version .* restore/,
  )
  await pool.end()
})
