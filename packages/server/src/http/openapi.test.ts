import { Validator } from '@seriousme/openapi-schema-validator'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { openHouse, type House } from '../testing/house'

interface Content {
  schema?: { type?: string; required?: string[]; properties?: Record<string, object> }
}
interface Operation {
  responses: Record<string, { content: Record<string, Content> }>
  requestBody?: { content: Record<string, Content> }
}

let house: House
let described: { paths: Record<string, Record<string, Operation>> }
beforeAll(async () => {
  house = await openHouse()
  described = (await house.nobody<typeof described>('GET', '/api/openapi.json')).body
})
afterAll(() => house.close())

const answerTo = (method: string, url: string) =>
  described.paths[url]![method]!.responses[200]!.content['application/json']!.schema!

describe('the description of the API', () => {
  it('is valid OpenAPI by the schema that its authors publish', async () => {
    expect(await new Validator().validate(structuredClone(described))).toEqual({ valid: true })
  })
  it('tells of every answer what is in it, but for files, the event stream and itself', () => {
    const silent = Object.entries(described.paths).flatMap(([url, methods]) =>
      Object.entries(methods)
        .filter(([, operation]) => !operation.responses[200]!.content['application/json']?.schema)
        .map(([method]) => `${method} ${url}`),
    )
    expect(silent.sort()).toEqual([
      'get /agent/ca.pem',
      'get /agent/install.ps1',
      'get /agent/install.sh',
      'get /agent/releases/{version}/{file}',
      'get /agent/{file}',
      'get /api/audit.csv',
      'get /api/calendar.ics',
      'get /api/clients/{id}/data',
      'get /api/clients/{id}/openmetrics',
      'get /api/devices/{id}/series.csv',
      'get /api/live',
      'get /api/openapi.json',
      'get /api/request-files/{id}',
      'get /api/session/provider',
      'get /api/session/provider/callback',
      'get /calendar/{secret}',
      'get /metrics',
    ])
  })
  it('says which fields are always there', () => {
    expect(answerTo('get', '/api/rounds').required).toEqual([
      'lookedAt',
      'since',
      'fresh',
      'todo',
      'working',
      'remediation',
      'held',
      'settled',
      'remediated',
      'dismissed',
    ])
    expect(answerTo('post', '/api/agent/reports').required).toEqual([
      'acknowledged',
      'refused',
      'clockOffset',
      'settings',
    ])
    expect(answerTo('get', '/api/device-rows').type).toBe('array')
  })
  it('describes what each route takes in', () => {
    const template = described.paths['/api/templates']!.post!.requestBody!.content['application/json']!.schema!
    expect(template.required).toEqual(['name', 'description', 'watches'])
  })
})
