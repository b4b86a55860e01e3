import { expect, it } from 'vitest'
import { versionCounts, type VersionsOfClient } from './versions'

const of = (version: string, client: string, devices: number): VersionsOfClient => ({
  version,
  client,
  devices,
  fixed: 0,
})

it('versions are counted by client, the newest first, those that have most of them first', () => {
  expect(versionCounts([of('0.9.0', 'A', 1), of('0.10.0', 'B', 1), of('0.9.0', 'B', 2)])).toEqual([
    { version: '0.10.0', total: 1, clientCount: 1, clients: [{ name: 'B', devices: 1 }] },
    {
      version: '0.9.0',
      total: 3,
      clientCount: 2,
      clients: [
        { name: 'B', devices: 2 },
        { name: 'A', devices: 1 },
      ],
    },
  ])
})
it('of many clients only those that have most are named, and all are counted', () => {
  const [count] = versionCounts(Array.from({ length: 30 }, (_, i) => of('1.0.0', `Client ${i}`, i + 1)))
  expect([count!.total, count!.clientCount, count!.clients[0], count!.clients.length]).toEqual([
    465,
    30,
    { name: 'Client 29', devices: 30 },
    8,
  ])
})
