import type { TestProject } from 'vitest/node'
import { placeOf } from '../../../../launcher/place.mjs'
import { startPostgres } from '../../../../launcher/postgres.mjs'

declare module 'vitest' {
  interface ProvidedContext { databaseUrl: string }
}

/** One cluster for all server tests; every test file has a database of its own in it. */
export default async function setup(project: TestProject): Promise<() => Promise<void>> {
  const cluster = await startPostgres(placeOf('test'), { fast: true })
  project.provide('databaseUrl', cluster.url)
  return () => cluster.stop()
}
