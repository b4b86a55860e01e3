import type { DevicePage, RosterWatch } from '#contract'
import type { PolicyStep, Service, WatchSpec } from '#core'
import { asName, forOneDevice, intoTemplate, keyFor, type KnownTemplate } from '../../policy/impact/ownTemplate'

/** Takes a service of one device back into the watch that leaves it out. */
export function takeBack(
  device: Pick<DevicePage, 'id'>,
  watch: Pick<RosterWatch, 'key'>,
  name: string,
  ownerId: number | null,
): PolicyStep[] {
  return [
    {
      of: 'exception',
      id: -1,
      basedOn: 0,
      to: {
        target: { on: 'devices', deviceIds: [device.id] },
        watch: watch.key,
        values: { except: [`!${name}`] },
        leftOut: false,
        reason: `${name} matters here.`,
        ownerId,
        reviewAt: null,
      },
    },
  ]
}

/** A key that no other service of the template has. */
const serviceKey = (name: string, watches: readonly WatchSpec[]) =>
  keyFor('service', name, (key) =>
    watches.some((watch) => watch.key === key && JSON.stringify(watch.values.names) !== JSON.stringify([name])),
  )

/** Of a device’s own: the name of the template that its chosen services stand in. Another client may have its name. */
export const templateOf = ({ name, clientName }: Pick<DevicePage, 'name' | 'clientName'>) =>
  asName(`Services of ${name}, ${clientName}`)

/**
 * Watches a service of one device by its name, in a template of the device's own: made where there is none, else added
 * to.
 */
export function watchByName(
  device: Pick<DevicePage, 'id' | 'name' | 'clientName'>,
  service: Pick<Service, 'name'>,
  known: Omit<KnownTemplate, 'name'> | null,
): PolicyStep[] {
  const name = templateOf(device)
  const spec: WatchSpec = {
    key: serviceKey(service.name, known?.watches ?? []),
    kind: 'service-state',
    name: asName(`Service ${service.name}`),
    why: `Somebody chose it on ${device.name}.`,
    osFamilies: [],
    values: { which: 'named', names: [service.name], expected: 'running' },
  }
  const note = `Watch ${service.name}`
  if (known) return intoTemplate({ ...known, name }, spec, note)
  const body = { name, description: 'Services that were chosen from its own list.', includes: [], watches: [spec] }
  return forOneDevice(device.id, body, note, 'Chosen from its own list of services.')
}
