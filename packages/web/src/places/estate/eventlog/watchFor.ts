import type { DevicePage, LogEntry, LogGroup } from '#contract'
import { watchKind, type PolicyStep, type Values, type WatchSpec } from '#core'
import { asName, forOneDevice, intoTemplate, keyFor, type KnownTemplate } from '../../policy/impact/ownTemplate'

export type LogWatchKind = 'log-match' | 'log-absence' | 'log-pair'

/** What may be watched about an entry, in words. */
export const kindWords: Record<LogWatchKind, string> = {
  'log-match': 'when it appears',
  'log-absence': 'when it does not appear',
  'log-pair': 'until another entry ends it',
}

/** All values of a kind: those of the entry, and else the kind's own. */
export function allValues(kind: LogWatchKind, of: Values): Values {
  const { parameters } = watchKind(kind)
  return Object.fromEntries(
    parameters.map(({ name, default: standard }) => [name, of[name] === undefined ? standard : of[name]]),
  )
}

type Said = Pick<LogEntry | LogGroup, 'source' | 'id' | 'text'>
const nameOf = ({ source, id, text }: Said) =>
  asName(`${source || 'Log'}: ${id === null ? text.replace(/\s+/g, ' ').slice(0, 60) : `event ${id}`}`)

/** Only what is not as the kind has it by itself. */
function ownValues(kind: LogWatchKind, values: Values): Values {
  const standard = allValues(kind, {})
  return Object.fromEntries(Object.entries(values).filter(([name, value]) => value !== standard[name]))
}

/** Of a device's own: the name of the template that watches of its log stand in. */
export const logTemplateOf = ({ name, clientName }: Pick<DevicePage, 'name' | 'clientName'>) =>
  asName(`Log of ${name}, ${clientName}`)

function specOf(kind: LogWatchKind, values: Values, entry: Said, on: string, taken: readonly string[]): WatchSpec {
  return {
    key: keyFor(kind, `${entry.source} ${entry.id ?? String(values.text)}`, (key) => taken.includes(key)),
    kind,
    name: nameOf(entry),
    why: `Made of an entry of the log${on && ` of ${on}`}.`,
    osFamilies: [],
    values: ownValues(kind, values),
  }
}

/** Puts a watch of such entries into a template that there is. */
export function watchIn(
  template: KnownTemplate,
  kind: LogWatchKind,
  values: Values,
  entry: Said,
  on: string,
): PolicyStep[] {
  const spec = specOf(
    kind,
    values,
    entry,
    on,
    template.watches.map(({ key }) => key),
  )
  return intoTemplate(template, spec, `Watch for “${spec.name}”`)
}

/** Makes a template of the device's own for it. */
export function watchOn(
  device: Pick<DevicePage, 'id' | 'name' | 'clientName'>,
  kind: LogWatchKind,
  values: Values,
  entry: Said,
): PolicyStep[] {
  const spec = specOf(kind, values, entry, device.name, [])
  // A key of its own: watches of the same key in several templates are one watch on a device.
  spec.key = `${kind}.own-${device.id}`
  const body = {
    name: logTemplateOf(device),
    description: 'Watches that were made of entries of its log.',
    includes: [],
    watches: [spec],
  }
  return forOneDevice(device.id, body, `Watch for “${spec.name}”`, 'Made of an entry of its log.')
}
