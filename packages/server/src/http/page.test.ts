import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import type { FastifyInstance } from 'fastify'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { buildApp } from '../app'
import { openHouse, type House } from '../testing/house'

let house: House
let app: FastifyInstance
let folder: string
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'custode-page-'))
  writeFileSync(join(folder, 'index.html'), '<p>the page</p>')
  writeFileSync(join(folder, 'index.html.gz'), gzipSync('<p>the page</p>'))
  house = await openHouse()
  app = await buildApp({ pool: house.pool, databaseUrl: house.url, webFolder: folder })
})
afterAll(async () => {
  await app.close()
  await house.close()
  rmSync(folder, { recursive: true })
})

it.each<[string, Record<string, string>]>([
  ['no headers at all', {}],
  ['no Accept-Encoding', { accept: 'text/html' }],
  ['any', { accept: '*/*', 'accept-encoding': '*' }],
  ['odd ones', { accept: ';;;', 'accept-encoding': 'identity;q=0, zstd' }],
])('the page comes whatever a client accepts: %s', async (_name, headers) => {
  for (const url of ['/', '/rounds', '/estate/7?tab=log']) {
    const response = await app.inject({ method: 'GET', url, headers })
    expect([url, response.statusCode, response.headers['content-type']]).toEqual([url, 200, 'text/html; charset=utf-8'])
  }
})
