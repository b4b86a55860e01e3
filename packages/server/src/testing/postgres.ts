import type { TestProject } from 'vitest/node'
import { placeOf } from '../../../../launcher/place.mjs'
import { startPostgres } from '../../../../launcher/postgres.mjs'
import { migrate, openPool } from '../db'

declare module 'vitest' {
  interface ProvidedContext {
    databaseUrl: string
  }
}

/**
 * One cluster for all tests of a project; every test file has a database of its own in it. Projects may run at the same
 * time.
 */
export default async function setup(project: TestProject): Promise<() => Promise<void>> {
  const cluster = await startPostgres(placeOf(project.name === 'server' ? 'test' : `test-${project.name}`), {
    fast: true,
  })
  await makeTemplate(cluster.url)
  project.provide('databaseUrl', cluster.url)
  return () => cluster.stop()
}

/** Migrated once; each test file copies it, which is quicker by far. */
export const templateDatabase = 'migrated'

async function makeTemplate(url: string): Promise<void> {
  const admin = openPool(url, 1)
  await admin.query(`drop database if exists ${templateDatabase}`)
  await admin.query(`create database ${templateDatabase}`)
  await admin.end()
  const pool = openPool(url.replace(/\/postgres$/, `/${templateDatabase}`), 1)
  await migrate(pool, new URL('../db/migrations', import.meta.url).pathname, Date.now())
  await pool.end()
}
