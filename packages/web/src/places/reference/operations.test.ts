import { expect, test } from 'vitest'
import { exampleOf, operationsOf, sampleOf } from './operations'

const described = {
  paths: {
    '/api/windows/{id}': {
      put: {
        summary: 'Change a window',
        description: 'For: technician.',
        requestBody: {
          content: {
            'application/json': {
              schema: {
                type: 'object',
                required: ['name', 'of'],
                properties: { name: { type: 'string' }, of: { enum: ['all', 'some'] }, more: { type: 'string' } },
              },
            },
          },
        },
        responses: {},
      },
    },
    '/healthz': { get: { summary: 'Alive', description: 'For: public.', responses: {} } },
  },
}

test('routes stand by their subject, with an example for the shell', () => {
  const found = operationsOf(described)
  expect([...found.keys()]).toEqual(['healthz', 'windows'])
  expect(exampleOf(found.get('windows')![0]!, 'https://custode.example')).toBe(
    `curl -X PUT -H "Authorization: Bearer $TOKEN" -H 'Content-Type: application/json' -d '{"name":"…","of":"all"}' https://custode.example/api/windows/1`,
  )
  expect(exampleOf(found.get('healthz')![0]!, 'https://custode.example')).toBe('curl https://custode.example/healthz')
})

test('a sample has what is required, and ends', () => {
  expect(sampleOf({ type: 'array', items: { type: 'integer', minimum: 5 } })).toEqual([5])
  const deep: Parameters<typeof sampleOf>[0] = { type: 'array' }
  deep.items = deep
  expect(JSON.stringify(sampleOf(deep)).length).toBeLessThan(30)
})
