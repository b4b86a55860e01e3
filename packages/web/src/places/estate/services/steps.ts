import type { DevicePage, RosterWatch, TemplatePage } from '#contract'
import type { PolicyStep, Service, WatchSpec } from '#core'

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

/** A key that no other service has, as far as its letters allow. */
const keyOf = (name: string) =>
  `service.${name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
    .slice(0, 50)}`

/** Of a device’s own: the name of the template that its chosen services stand in. */
export const templateOf = ({ name }: Pick<DevicePage, 'name'>) => `Services of ${name}`

/**
 * Watches a service of one device by its name, in a template of the device's own: made where there is none, else added
 * to.
 */
export function watchByName(
  device: Pick<DevicePage, 'id' | 'name'>,
  service: Pick<Service, 'name'>,
  known: Pick<TemplatePage, 'id' | 'revision' | 'description' | 'includes' | 'watches'> | null,
): PolicyStep[] {
  const name = templateOf(device)
  const spec: WatchSpec = {
    key: keyOf(service.name),
    kind: 'service-state',
    name: `Service ${service.name}`,
    why: `Somebody chose it on ${device.name}.`,
    osFamilies: [],
    values: { which: 'named', names: [service.name], expected: 'running' },
  }
  const note = `Watch ${service.name}`
  if (known) {
    const { id, revision, description, includes, watches } = known
    const others = watches.filter(({ key }) => key !== spec.key)
    return [
      { of: 'template', id, basedOn: revision, note, to: { name, description, includes, watches: [...others, spec] } },
    ]
  }
  return [
    {
      of: 'template',
      id: -1,
      basedOn: 0,
      note,
      to: { name, description: 'Services that were chosen from its own list.', includes: [], watches: [spec] },
    },
    {
      of: 'assignment',
      id: -2,
      basedOn: 0,
      to: {
        templateId: -1,
        target: { on: 'devices', deviceIds: [device.id] },
        rank: 100,
        values: {},
        dormant: false,
        reason: 'Chosen from its own list of services.',
        reviewAt: null,
      },
    },
  ]
}
