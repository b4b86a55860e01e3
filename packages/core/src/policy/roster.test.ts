import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { DeviceTraits, Target } from '../estate'
import { compareRosters, resolveRoster, type Policy } from './roster'
import { starterTemplates } from './starter'
import { templateFaults, valueFaults, type Assignment, type Exception, type Template } from './template'

const device: DeviceTraits = { id: 7, clientId: 1, siteId: 11, kind: 'server', osFamily: 'linux', roles: ['web'], tags: ['lab'] }
const template = (id: number, values: Template['watches'][number]['values'], more: Partial<Template['watches'][number]> = {}): Template =>
  ({ id, name: `t${id}`, description: '', revision: 3, watches: [{ key: 'disk', kind: 'disk-space', name: 'Disk', why: '', osFamilies: [], values, ...more }] })
const assign = (id: number, templateId: number, target: Target, more: Partial<Assignment> = {}): Assignment => ({ id, templateId, target, rank: 100, values: {}, dormant: false, reason: '', createdAt: id, ...more })
const except = (id: number, target: Target, values: Exception['values'], more: Partial<Exception> = {}): Exception => ({ id, target, watch: 'disk', values, leftOut: false, reason: 'so', createdAt: id, ...more })
const percent = (policy: Policy) => resolveRoster(device, policy)[0]?.values['warning.percent']
const t = (share: number) => ({ 'warning.percent': share })

const everyone: Target = { on: 'everyone' }
const kind: Target = { on: 'kind', kind: 'server' }
const role: Target = { on: 'role', role: 'web' }
const client: Target = { on: 'client', clientId: 1 }
const site: Target = { on: 'site', siteId: 11 }
const tag: Target = { on: 'tag', tag: 'lab' }
const chosen: Target = { on: 'devices', deviceIds: [7] }

describe('which value wins', () => {
  const order: [string, Target][] = [['everyone', everyone], ['kind', kind], ['role', role], ['client', client], ['site', site], ['tag', tag], ['chosen device', chosen]]
  for (let i = 1; i < order.length; i++)
    it(`${order[i]![0]} over ${order[i - 1]![0]}`, () => {
      const policy = { templates: [template(1, t(0.1)), template(2, t(0.2))], assignments: [assign(1, 1, order[i]![1]), assign(2, 2, order[i - 1]![1])], exceptions: [] }
      expect(percent(policy)).toBe(0.1)
    })
  it('an exception on the device over everything', () => {
    expect(percent({ templates: [template(1, t(0.1))], assignments: [assign(1, 1, chosen, { values: { disk: t(0.3) } })], exceptions: [except(1, chosen, t(0.4))] })).toBe(0.4)
  })
  it('but an exception for a client not over the value for a tag', () => {
    expect(percent({ templates: [template(1, t(0.1))], assignments: [assign(1, 1, tag)], exceptions: [except(1, client, t(0.4))] })).toBe(0.1)
  })
  it('the assignment’s own value over its template’s', () => {
    expect(percent({ templates: [template(1, t(0.1))], assignments: [assign(1, 1, role, { values: { disk: t(0.3) } })], exceptions: [] })).toBe(0.3)
  })
  it('among equals the lower rank, then the newer', () => {
    const templates = [template(1, t(0.1)), template(2, t(0.2))]
    expect(percent({ templates, assignments: [assign(1, 1, role, { rank: 10 }), assign(2, 2, role, { rank: 20 })], exceptions: [] })).toBe(0.1)
    expect(percent({ templates, assignments: [assign(1, 1, role), assign(2, 2, role)], exceptions: [] })).toBe(0.2)
  })
  it('parameter by parameter: what the specific one leaves open comes from the general one', () => {
    const policy = { templates: [template(1, t(0.1)), template(2, { 'warning.bytes': 5e9, 'warning.percent': 0.2 })], assignments: [assign(1, 1, role), assign(2, 2, everyone)], exceptions: [] }
    expect(resolveRoster(device, policy)[0]!.values).toMatchObject({ 'warning.percent': 0.1, 'warning.bytes': 5e9, hold: 900_000 })
  })
  it('dormant never wins over awake, and is marked where it stands alone', () => {
    const templates = [template(1, t(0.1)), template(2, t(0.2))]
    expect(percent({ templates, assignments: [assign(1, 1, chosen, { dormant: true }), assign(2, 2, everyone)], exceptions: [] })).toBe(0.2)
    expect(resolveRoster(device, { templates, assignments: [assign(1, 1, chosen, { dormant: true })], exceptions: [] })[0]!.standing).toBe('dormant')
  })
})

describe('a roster', () => {
  it('leaves out watches for another OS family', () => {
    expect(resolveRoster(device, { templates: [template(1, {}, { osFamilies: ['windows'] })], assignments: [assign(1, 1, everyone)], exceptions: [] })).toEqual([])
  })
  it('shows what was left out, with the reason', () => {
    const [watch] = resolveRoster(device, { templates: [template(1, {})], assignments: [assign(1, 1, everyone)], exceptions: [except(4, chosen, {}, { leftOut: true, reason: 'scratch disk' })] })
    expect(watch).toMatchObject({ standing: 'left out', leftOutBy: { name: 'scratch disk' } })
  })
  it('carries for each value what won and what it beat', () => {
    const [watch] = resolveRoster(device, { templates: [template(1, t(0.1))], assignments: [assign(1, 1, role, { values: { disk: t(0.3) } })], exceptions: [except(1, chosen, t(0.4))] })
    expect(watch!.chains['warning.percent']!.map((link) => `${link.value as number} ${link.source.from}`)).toEqual(['0.4 exception', '0.3 assignment', '0.1 template', '0.1 default'])
  })
  it('tells what a change adds, removes and alters', () => {
    const before = { templates: [template(1, t(0.1))], assignments: [assign(1, 1, everyone)], exceptions: [] }
    const after = { ...before, templates: [template(1, t(0.2))] }
    expect(compareRosters(resolveRoster(device, before), resolveRoster(device, after))).toEqual([{ key: 'disk', name: 'Disk', change: 'altered', parameters: ['warning.percent'] }])
    expect(compareRosters(resolveRoster(device, before), [])[0]!.change).toBe('removed')
  })
  it('does not depend on the order of its input', () => {
    const targetArbitrary = fc.constantFrom(everyone, kind, role, client, site, tag, chosen)
    fc.assert(fc.property(
      fc.array(fc.record({ target: targetArbitrary, share: fc.integer({ min: 1, max: 90 }), rank: fc.integer({ min: 1, max: 3 }), createdAt: fc.integer({ min: 1, max: 3 }), dormant: fc.boolean() }), { minLength: 1, maxLength: 8 }),
      fc.array(fc.record({ target: targetArbitrary, share: fc.integer({ min: 1, max: 90 }), createdAt: fc.integer({ min: 1, max: 3 }) }), { maxLength: 4 }),
      fc.nat(),
      (assignments, exceptions, turn) => {
        const policy: Policy = {
          templates: assignments.map((one, i) => template(i + 1, t(one.share / 100))),
          assignments: assignments.map((one, i) => assign(i + 1, i + 1, one.target, one)),
          exceptions: exceptions.map((one, i) => except(i + 1, one.target, t(one.share / 100), { createdAt: one.createdAt })),
        }
        const rotate = <T>(list: readonly T[]) => [...list.slice(turn % (list.length || 1)), ...list.slice(0, turn % (list.length || 1))].reverse()
        const turned = { templates: rotate(policy.templates), assignments: rotate(policy.assignments), exceptions: rotate(policy.exceptions) }
        expect(resolveRoster(device, turned)).toEqual(resolveRoster(device, policy))
      }))
  })
})

describe('what is wrong with a template', () => {
  it('is said at the parameter', () => {
    expect(valueFaults('disk-space', { 'warning.percent': 7 })).toEqual([{ at: 'warning.percent', message: 'Warning below must lie between 0 % and 100 %; 700 % does not.' }])
    expect(valueFaults('disk-space', { wraning: 1 })[0]!.message).toContain('no parameter “wraning”')
    expect(valueFaults('cpu-busy', { warning: 0.9, critical: 0.8 })[0]!.at).toBe('critical')
  })
  it('and keys may not be used twice', () => {
    const { watches } = template(1, {})
    expect(templateFaults([...watches, ...watches])[0]!.message).toContain('used twice')
  })
  it('nothing, for the templates to start from', () => {
    for (const starter of starterTemplates) expect(templateFaults(starter.watches)).toEqual([])
  })
})
