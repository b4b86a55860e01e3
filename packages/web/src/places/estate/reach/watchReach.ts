import type { DevicePage } from '#contract'
import { checkName, watchKind, watchKinds, type PolicyStep, type Values, type WatchSpec } from '#core'
import { asName, forOneDevice, intoTemplate, keyFor, type KnownTemplate } from '../../policy/impact/ownTemplate'

export const reachKinds = [...watchKinds.values()].filter(({ looks }) => looks !== undefined)

export const defaultsOf = (kind: string): Values =>
  Object.fromEntries(watchKind(kind).parameters.map(({ name, default: value }) => [name, value]))

/** Of a device's own: the name of the template that what is looked at of it stands in. */
export const reachTemplateOf = ({ name, clientName }: Pick<DevicePage, 'name' | 'clientName'>) =>
  asName(`Looked at of ${name}, ${clientName}`)

function specOf(kind: string, values: Values, isTaken: (key: string) => boolean): WatchSpec {
  const plan = watchKind(kind).looks!(values)!
  const about = checkName(plan.check)
  const standard = defaultsOf(kind)
  return {
    key: keyFor('reach', about, isTaken),
    kind,
    name: asName(about),
    why: '',
    osFamilies: [],
    values: Object.fromEntries(
      Object.entries(values).filter(([name, value]) => JSON.stringify(value) !== JSON.stringify(standard[name])),
    ),
  }
}

/** Puts such a watch into a template that there is, or, with null, into one for the device alone. */
export function watchReach(
  device: Pick<DevicePage, 'id' | 'name' | 'clientName'>,
  kind: string,
  values: Values,
  template: KnownTemplate | null,
): PolicyStep[] {
  const spec = specOf(kind, values, (key) => template?.watches.some((watch) => watch.key === key) ?? false)
  const note = `Look at ${spec.name}`
  if (template) return intoTemplate(template, spec, note)
  const body = {
    name: reachTemplateOf(device),
    description: 'What of it is looked at from other devices.',
    includes: [],
    watches: [{ ...spec, key: keyFor('reach', `own ${device.id} ${spec.name}`, () => false) }],
  }
  return forOneDevice(device.id, body, note, 'Looked at from other devices.')
}
