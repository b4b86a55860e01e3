import { isGroup, type Target } from '../../estate'
import { watchKinds, type Values } from '../../watch'
import type { Policy } from '../roster'
import type { WatchSpec } from '../template'
import { dayText, everything, header, parameterOf, plainValue, type References } from './form'

const gone = (what: string, id: number) => `(a ${what} that is gone, ${id})`
const plainValues = (kind: string, values: Values) =>
  Object.fromEntries(
    Object.entries(values)
      .sort(([a], [b]) => order(kind, a) - order(kind, b))
      .map(([name, value]) => [name, plainValue(parameterOf(kind, name), value)]),
  )
const order = (kind: string, name: string) => {
  const at = watchKinds.get(kind)?.parameters.findIndex((parameter) => parameter.name === name) ?? -1
  return at < 0 ? 1000 : at
}
const filled = (fields: Record<string, unknown>) =>
  Object.fromEntries(Object.entries(fields).filter(([, value]) => value !== undefined))

function plainTarget(target: Target, refs: References): unknown {
  if (isGroup(target)) return { [target.on]: target.of.map((part) => plainTarget(part, refs)) }
  switch (target.on) {
    case 'everyone':
      return everything
    case 'kind':
      return { kind: target.kind }
    case 'os':
      return { os: target.osFamily }
    case 'osName':
      return { system: target.pattern }
    case 'role':
      return { role: target.role }
    case 'fact':
      return { [target.fact]: target.pattern }
    case 'client':
      return { client: refs.client(target.clientId) ?? gone('client', target.clientId) }
    case 'site':
      return { site: refs.site(target.siteId) ?? gone('site', target.siteId) }
    case 'network':
      return { network: target.network }
    case 'tag':
      return { tag: target.tag }
    case 'name':
      return { name: target.pattern }
    case 'devices':
      return { devices: target.deviceIds.map((id) => refs.device(id) ?? gone('device', id)).sort() }
  }
}

const asWatch = ({ kind, name, why, osFamilies, values }: WatchSpec) =>
  filled({
    kind,
    name,
    why: why || undefined,
    only: osFamilies.length ? osFamilies : undefined,
    ...plainValues(kind, values),
  })

/**
 * Policy as a plain document: templates by name, the rest in the order in which it was made, so that a change shows as
 * a change of a few lines. What is as it is by default is left out.
 * @param only these templates, with their assignments and the exceptions on their watches; null: everything
 */
export function toDocument(policy: Policy, refs: References, only: readonly number[] | null = null): unknown {
  const templates = policy.templates
    .filter((template) => only?.includes(template.id) ?? true)
    .sort((a, b) => (a.name < b.name ? -1 : 1))
  const nameOf = (id: number) => policy.templates.find((template) => template.id === id)?.name ?? gone('template', id)
  const kindOf = (key: string) =>
    policy.templates.flatMap((template) => template.watches).find((watch) => watch.key === key)?.kind ?? ''
  const keys = new Set(templates.flatMap((template) => template.watches.map((watch) => watch.key)))
  const byAge = <T extends { createdAt: number; id: number }>(list: readonly T[]) =>
    [...list].sort((a, b) => a.createdAt - b.createdAt || a.id - b.id)
  return {
    format: header,
    covers: only === null ? everything : templates.map((template) => template.name),
    templates: templates.map((template) =>
      filled({
        name: template.name,
        for: template.description || undefined,
        includes: template.includes.length ? template.includes.map(nameOf) : undefined,
        watches: Object.fromEntries(template.watches.map((watch) => [watch.key, asWatch(watch)])),
      }),
    ),
    assignments: byAge(policy.assignments)
      .filter((assignment) => only?.includes(assignment.templateId) ?? true)
      .map((assignment) =>
        filled({
          template: nameOf(assignment.templateId),
          to: plainTarget(assignment.target, refs),
          rank: assignment.rank === 100 ? undefined : assignment.rank,
          dormant: assignment.dormant || undefined,
          values: Object.keys(assignment.values).length
            ? Object.fromEntries(
                Object.entries(assignment.values)
                  .sort()
                  .map(([key, values]) => [key, plainValues(kindOf(key), values)]),
              )
            : undefined,
          why: assignment.reason || undefined,
          review: assignment.reviewAt === null ? undefined : dayText(assignment.reviewAt),
        }),
      ),
    exceptions: byAge(policy.exceptions)
      .filter((exception) => only === null || keys.has(exception.watch))
      .map((exception) =>
        filled({
          watch: exception.watch,
          for: plainTarget(exception.target, refs),
          ...(exception.leftOut
            ? { 'left out': true }
            : { values: plainValues(kindOf(exception.watch), exception.values) }),
          why: exception.reason,
          owner: exception.ownerId === null ? undefined : (refs.person(exception.ownerId) ?? undefined),
          review: exception.reviewAt === null ? undefined : dayText(exception.reviewAt),
        }),
      ),
  }
}
