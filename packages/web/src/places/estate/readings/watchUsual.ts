import type { DevicePage } from '#contract'
import type { PolicyStep, Values, WatchKind, WatchSpec } from '#core'
import { asName, forOneDevice, intoTemplate, keyFor, type KnownTemplate } from '../../policy/impact/ownTemplate'

/** Of a device's own: the name of the template that its watches for the unusual stand in. */
export const usualTemplateOf = ({ name, clientName }: Pick<DevicePage, 'name' | 'clientName'>) =>
  asName(`Unusual for ${name}, ${clientName}`)

/** Puts such a watch into a template that there is, or, with null, into one for the device alone. */
export function watchUsual(
  device: Pick<DevicePage, 'id' | 'name' | 'clientName'>,
  kind: WatchKind,
  values: Values,
  template: KnownTemplate | null,
): PolicyStep[] {
  const standard = Object.fromEntries(kind.parameters.map(({ name, default: value }) => [name, value]))
  const isTaken = (key: string) => template?.watches.some((watch) => watch.key === key) ?? false
  const spec: WatchSpec = {
    key: keyFor('unusual', template ? kind.usual! : `own ${device.id} ${kind.usual!}`, isTaken),
    kind: kind.name,
    name: asName(kind.title),
    why: '',
    osFamilies: [],
    values: Object.fromEntries(
      Object.entries(values).filter(([name, value]) => JSON.stringify(value) !== JSON.stringify(standard[name])),
    ),
  }
  const note = kind.title
  if (template) return intoTemplate(template, spec, note)
  const body = {
    name: usualTemplateOf(device),
    description: 'What is told when it is not as usual.',
    includes: [],
    watches: [spec],
  }
  return forOneDevice(device.id, body, note, 'Told when it is not as usual.')
}
