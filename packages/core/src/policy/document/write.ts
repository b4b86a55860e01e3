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
  const at = watchKinds.get(kind)?.parameters.findIndex((one) => one.name === name) ?? -1
  return at < 0 ? 1000 : at
}
const filled = (fields: Record<string, unknown>) =>
  Object.fromEntries(Object.entries(fields).filter(([, value]) => value !== undefined))

function plainTarget(target: Target, refs: References): unknown {
  if (isGroup(target)) return { [target.on]: target.of.map((one) => plainTarget(one, refs)) }
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
    .filter((one) => only?.includes(one.id) ?? true)
    .sort((a, b) => (a.name < b.name ? -1 : 1))
  const nameOf = (id: number) => policy.templates.find((one) => one.id === id)?.name ?? gone('template', id)
  const kindOf = (key: string) =>
    policy.templates.flatMap((one) => one.watches).find((one) => one.key === key)?.kind ?? ''
  const keys = new Set(templates.flatMap((one) => one.watches.map((watch) => watch.key)))
  const byAge = <T extends { createdAt: number; id: number }>(list: readonly T[]) =>
    [...list].sort((a, b) => a.createdAt - b.createdAt || a.id - b.id)
  return {
    format: header,
    covers: only === null ? everything : templates.map((one) => one.name),
    templates: templates.map((one) =>
      filled({
        name: one.name,
        for: one.description || undefined,
        includes: one.includes.length ? one.includes.map(nameOf) : undefined,
        watches: Object.fromEntries(one.watches.map((watch) => [watch.key, asWatch(watch)])),
      }),
    ),
    assignments: byAge(policy.assignments)
      .filter((one) => only?.includes(one.templateId) ?? true)
      .map((one) =>
        filled({
          template: nameOf(one.templateId),
          to: plainTarget(one.target, refs),
          rank: one.rank === 100 ? undefined : one.rank,
          dormant: one.dormant || undefined,
          values: Object.keys(one.values).length
            ? Object.fromEntries(
                Object.entries(one.values)
                  .sort()
                  .map(([key, values]) => [key, plainValues(kindOf(key), values)]),
              )
            : undefined,
          why: one.reason || undefined,
          review: one.reviewAt === null ? undefined : dayText(one.reviewAt),
        }),
      ),
    exceptions: byAge(policy.exceptions)
      .filter((one) => only === null || keys.has(one.watch))
      .map((one) =>
        filled({
          watch: one.watch,
          for: plainTarget(one.target, refs),
          ...(one.leftOut ? { 'left out': true } : { values: plainValues(kindOf(one.watch), one.values) }),
          why: one.reason,
          owner: one.ownerId === null ? undefined : (refs.person(one.ownerId) ?? undefined),
          review: one.reviewAt === null ? undefined : dayText(one.reviewAt),
        }),
      ),
  }
}
