import { expect, it } from 'vitest'
import type { VersionDevice } from '#contract'
import { behind, versionCounts } from './versionCounts'

const device = (id: number, version: string, clientName = 'A', updatable = true): VersionDevice => ({
  id,
  name: `d${id}`,
  clientId: 1,
  clientName,
  siteName: 'S',
  version,
  updatable,
})

it('versions are counted by client, the newest first', () => {
  expect(
    versionCounts([device(1, '0.9.0'), device(2, '0.10.0', 'B'), device(3, '0.9.0', 'B'), device(4, '0.9.0', 'B')]),
  ).toEqual([
    { version: '0.10.0', total: 1, clients: [{ name: 'B', devices: 1 }] },
    {
      version: '0.9.0',
      total: 3,
      clients: [
        { name: 'B', devices: 2 },
        { name: 'A', devices: 1 },
      ],
    },
  ])
})
it('behind are those that run another version and could go back', () => {
  expect(
    behind([device(1, '0.9.0'), device(2, '1.0.0'), device(3, '0.9.0', 'A', false)], '1.0.0').map(
      (device) => device.id,
    ),
  ).toEqual([1])
})
