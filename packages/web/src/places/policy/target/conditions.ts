import { isGroup, type Condition, type ConditionClass, type Group, type Target } from '#core'

/** What a condition can be about, as it stands in the sentence. */
export const conditionWords: [ConditionClass, string][] = [
  ['kind', 'is a'],
  ['os', 'runs'],
  ['osName', 'has the system'],
  ['role', 'has the role'],
  ['client', 'belongs to'],
  ['site', 'stands at'],
  ['tag', 'is tagged'],
  ['name', 'is named'],
  ['network', 'has an address in'],
  ['fact', 'has the'],
  ['devices', 'is one of'],
  ['everyone', 'is any device'],
]

/** A condition of a class as it begins, still to be filled in. */
export function freshCondition(on: ConditionClass): Condition {
  switch (on) {
    case 'everyone':
      return { on }
    case 'kind':
      return { on, kind: 'server' }
    case 'os':
      return { on, osFamily: 'linux' }
    case 'osName':
    case 'name':
      return { on, pattern: '' }
    case 'role':
      return { on, role: '' }
    case 'fact':
      return { on, fact: 'service', pattern: '' }
    case 'client':
      return { on, clientId: 0 }
    case 'site':
      return { on, siteId: 0 }
    case 'network':
      return { on, network: '' }
    case 'tag':
      return { on, tag: '' }
    case 'devices':
      return { on, deviceIds: [] }
  }
}

/** While it is built a target is a group, so that there is something to add to. */
export function asGroup(target: Target): Group {
  return isGroup(target) && target.on !== 'except' ? target : { on: 'all', of: [target] }
}

/** A group of one is that one: “all of: servers” is “servers”. */
export function simplest(target: Target): Target {
  if (!isGroup(target)) return target
  const of = target.of.map(simplest)
  return of.length === 1 && target.on !== 'except' ? of[0]! : { on: target.on, of }
}

/** The part at a way, put anew; null takes it out. */
export function replaced(group: Group, i: number, part: Target | null): Group {
  return {
    ...group,
    of: part === null ? group.of.filter((_, n) => n !== i) : group.of.map((kept, n) => (n === i ? part : kept)),
  }
}
