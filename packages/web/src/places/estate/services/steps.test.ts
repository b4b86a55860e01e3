import { describe, expect, it } from 'vitest'
import { chosen, templateFaults, withSteps, type Policy, type PolicyStep, type TemplateBody } from '#core'
import { takeBack, watchByName } from './steps'

const device = { id: 7, name: 'tm-gate-1', clientName: 'Tidemill Ferries' }
const nothing: Policy = { templates: [], assignments: [], exceptions: [] }

function templateIn(step: PolicyStep | undefined): TemplateBody {
  if (step?.of !== 'template' || !step.to) throw new Error('no template')
  return step.to
}

describe('a service that is chosen from the list of a device', () => {
  it('is watched by a template of the device’s own, made with its assignment', () => {
    const { templates, assignments } = withSteps(nothing, watchByName(device, { name: 'Print Spooler' }, null), 0)
    expect(templates).toMatchObject([
      {
        name: 'Services of tm-gate-1, Tidemill Ferries',
        watches: [{ values: { which: 'named', names: ['Print Spooler'] } }],
      },
    ])
    expect(templateFaults(templates[0]!.watches)).toEqual([])
    expect(assignments).toMatchObject([
      { templateId: templates[0]!.id, target: { on: 'devices', deviceIds: [7] }, dormant: false },
    ])
  })
  it('goes to those that are there; chosen twice, it is there once', () => {
    const known = { id: 3, revision: 4, description: 'd', includes: [], watches: [] }
    const [first] = watchByName(device, { name: 'web' }, known)
    expect(first).toMatchObject({ of: 'template', id: 3, basedOn: 4, to: { watches: [{ key: 'service.web' }] } })
    const { watches } = templateIn(first)
    const [again] = watchByName(device, { name: 'web' }, { ...known, watches })
    expect(templateIn(again).watches).toHaveLength(1)
    // Two names whose letters make one key are two watches.
    const [other] = watchByName(device, { name: 'Web' }, { ...known, watches })
    expect(templateIn(other).watches.map(({ key }) => key)).toEqual(['service.web', 'service.web-2'])
    expect(templateFaults(templateIn(other).watches)).toEqual([])
  })
  it('left out before, it is taken back on this device alone', () => {
    const [step] = takeBack(device, { key: 'services' }, 'cups', 1)
    expect(step).toMatchObject({ of: 'exception', to: { target: { on: 'devices', deviceIds: [7] } } })
    const except = step?.of === 'exception' ? (step.to!.values.except as string[]) : []
    expect(chosen(['*'], ['cups*', ...except], 'cups')).toBe(true)
    expect(chosen(['*'], ['cups*', ...except], 'cups-browsed')).toBe(false)
  })
})
