import { describe, expect, it } from 'vitest'
import type { Facts } from '../estate'
import { tryChoice } from './choosing'
import { watchKind, watchKinds } from './kinds'
import type { Values } from './parameter'

const facts: Facts = {
  ports: [
    { port: 8443, protocol: 'tcp' },
    { port: 443, protocol: 'tcp' },
    { port: 53, protocol: 'udp' },
  ],
  logs: [
    { name: 'nginx/error.log', collected: false },
    { name: 'nginx/access.log', collected: false },
    { name: 'syslog', collected: true },
  ],
  services: [
    { name: 'nginx', title: 'Web', start: 'automatic', state: 'running' },
    { name: 'cron', title: '', start: 'automatic', state: 'running' },
  ],
}
const inside = (kind: string, values: Values) =>
  tryChoice(watchKind(kind).choosing!, values, facts).map((choice) => `${choice.name}${choice.in ? '' : ' not'}`)

describe('what names choose on a device', () => {
  it('of services and of ports, with those left out, what is in first', () => {
    expect(inside('service-state', { names: ['*'], except: ['cr*'] })).toEqual(['nginx', 'cron not'])
    expect(inside('certificate-left', { names: ['*'], except: [] })).toEqual(['443', '8443'])
    expect(inside('certificate-left', { names: ['*'], except: ['8*'] })).toEqual(['443', '8443 not'])
  })
  it('of logs by one pattern; none written is any log', () => {
    expect(inside('log-match', { channel: 'nginx/*' })).toEqual(['nginx/access.log', 'nginx/error.log', 'syslog not'])
    expect(inside('log-absence', { channel: '' })).toEqual(['nginx/access.log', 'nginx/error.log', 'syslog'])
  })
  it('can be tried for every kind that chooses by names', () => {
    const byNames = [...watchKinds.values()].filter((kind) =>
      kind.parameters.some((parameter) => parameter.type === 'patterns'),
    )
    expect(byNames.filter((kind) => !kind.choosing && !kind.looks).map((kind) => kind.name)).toEqual([])
  })
})

describe('the certificate watch', () => {
  it('looks at the ports that it chooses, and says which', () => {
    const kind = watchKind('certificate-left')
    const values = {
      ...Object.fromEntries(kind.parameters.map((parameter) => [parameter.name, parameter.default])),
      except: ['8443'],
    }
    const observed = {
      at: 0,
      interval: 60_000,
      heardAt: 0,
      facts,
      events: [],
      failed: [],
      zone: 'UTC',
      readings: [
        ['certificate.left', '443', 3600],
        ['certificate.left', '8443', 3600],
      ] as const,
    }
    expect(
      kind
        .observe(values, { ...observed, readings: observed.readings.map(([...reading]) => reading) }, () => undefined)
        .map((observation) => observation.instance),
    ).toEqual(['443'])
    expect(
      kind
        .sentence(values)
        .map((part) => part.text)
        .join(''),
    ).toContain('On every port with a certificate except 8443, when that ends within')
  })
})
