import type { TemplatePage } from '#contract'
import type { DeviceId, PolicyStep, TemplateBody, WatchSpec } from '#core'

export type KnownTemplate = Pick<TemplatePage, 'id' | 'revision' | 'name' | 'description' | 'includes' | 'watches'>

/** As long as a name of policy may be. */
export const asName = (text: string) => text.slice(0, 100).trim()

/**
 * A key made of what a watch is about, so that watches of different things are never taken for one on a device that
 * several templates reach.
 * @param isTaken whether another watch has it: letters that a key does not have make some names alike
 */
export function keyFor(kind: string, about: string, isTaken: (key: string) => boolean): string {
  const slug = about
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
    .slice(0, 55 - kind.length)
  const key = slug ? `${kind}.${slug}` : kind
  let n = 1
  while (isTaken(n === 1 ? key : `${key}-${n}`)) n++
  return n === 1 ? key : `${key}-${n}`
}

/** Puts a watch into a template: in place of that of its key, or behind the others. */
export function intoTemplate(known: KnownTemplate, spec: WatchSpec, note: string): PolicyStep[] {
  const { id, revision, name, description, includes, watches } = known
  const others = watches.filter(({ key }) => key !== spec.key)
  return [
    { of: 'template', id, basedOn: revision, note, to: { name, description, includes, watches: [...others, spec] } },
  ]
}

/** Makes a template for one device alone. */
export function forOneDevice(deviceId: DeviceId, body: TemplateBody, note: string, reason: string): PolicyStep[] {
  return [
    { of: 'template', id: -1, basedOn: 0, note, to: body },
    {
      of: 'assignment',
      id: -2,
      basedOn: 0,
      to: {
        templateId: -1,
        target: { on: 'devices', deviceIds: [deviceId] },
        rank: 100,
        values: {},
        dormant: false,
        reason,
        reviewAt: null,
      },
    },
  ]
}
