import type { DeviceKind } from './facts'
import { isGroup, type Condition, type Target } from './target'

/** How things are called, for sentences. */
export interface EstateNames {
  client(id: number): string | null
  site(id: number): string | null
  role(id: string): string | null
  device(id: number): string | null
}

export const noNames: EstateNames = { client: () => null, site: () => null, role: () => null, device: () => null }

/** A part of a phrase: the thing itself (“server”), or what is said of it (“at Tidemill Ferries”). */
interface Phrase {
  noun?: string
  more?: string
}

const kindNoun = (kind: DeviceKind) =>
  kind === 'network' || kind === 'power' ? `${kind} device` : kind === 'address' ? 'mere address' : kind
const either = (parts: readonly string[], word = 'or') =>
  parts.length < 2 ? (parts[0] ?? '') : `${parts.slice(0, -1).join(', ')} ${word} ${parts.at(-1)!}`

function devicesText(ids: readonly number[], names: EstateNames): string {
  const listed = ids.slice(0, 3).map((id) => names.device(id) ?? 'a device that is gone')
  return ids.length > 3 ? `${listed.join(', ')} and ${ids.length - 3} more` : either(listed, 'and')
}

function conditionPhrase(condition: Condition, names: EstateNames): Phrase {
  switch (condition.on) {
    case 'everyone':
      return {}
    case 'kind':
      return { noun: kindNoun(condition.kind) }
    case 'os':
      return { more: `running ${condition.osFamily === 'linux' ? 'Linux' : 'Windows'}` }
    case 'osName':
      return { more: `running ${condition.pattern}` }
    case 'role':
      return { noun: names.role(condition.role) ?? (condition.role || '…') }
    case 'fact':
      return {
        more:
          condition.fact === 'port'
            ? `listening on port ${condition.pattern}`
            : `with the ${condition.fact} ${condition.pattern}`,
      }
    case 'client':
      return { more: `at ${names.client(condition.clientId) ?? 'a client that is gone'}` }
    case 'site':
      return { more: `at ${names.site(condition.siteId) ?? 'a site that is gone'}` }
    case 'network':
      return { more: `in ${condition.network}` }
    case 'tag':
      return { more: `tagged ${condition.tag}` }
    case 'name':
      return { more: `named ${condition.pattern}` }
    case 'devices':
      return {
        more:
          condition.deviceIds.length === 1
            ? `that is ${devicesText(condition.deviceIds, names)}`
            : `among ${devicesText(condition.deviceIds, names)}`,
      }
  }
}

const article = (noun: string) => (/^[aeiou]/i.test(noun) ? 'an' : 'a')

/** As a clause behind “that is”: “a server at Quay Street”. */
function clause(target: Target, names: EstateNames): string {
  const { noun, more } = phrase(target, names)
  if (noun === undefined) return more ?? 'any device'
  return [article(noun), noun, more].filter(Boolean).join(' ')
}

function phrase(target: Target, names: EstateNames): Phrase {
  if (!isGroup(target)) return conditionPhrase(target, names)
  if (target.on === 'any') {
    const parts = target.of.map((part) => phrase(part, names))
    if (parts.length === 1) return parts[0]!
    // “server or workstation” is a thing; “at Mill Lane or tagged shop” is said of one; a mixture is told apart.
    if (parts.every((part) => part.noun !== undefined && part.more === undefined))
      return { noun: either(parts.map((part) => part.noun!)) }
    if (parts.every((part) => part.noun === undefined))
      return { more: either(parts.map((part) => part.more ?? 'of any sort')) }
    return { more: `that is ${either(target.of.map((part) => clause(part, names)))}` }
  }
  if (target.on === 'except')
    return {
      more: `except ${either(
        target.of.map((part) => left(part, names)),
        'and',
      )}`,
    }
  const plain = target.of.filter((part) => part.on !== 'except').map((part) => phrase(part, names))
  const nouns = plain.flatMap((part) => (part.noun === undefined ? [] : [part.noun]))
  const more = plain.flatMap((part) => (part.more === undefined ? [] : [part.more]))
  const also = nouns.slice(1).map((noun) => `that is also ${article(noun)} ${noun}`)
  const except = target.of
    .filter((part) => part.on === 'except')
    .map((part) => `, ${phrase(part, names).more!}`)
    .join('')
  const said = [...more, ...also].join(' ') + except
  return { ...(nouns[0] === undefined ? {} : { noun: nouns[0] }), ...(said ? { more: said } : {}) }
}

/** What is left out, as short as it can be said: “tag lab”, “those at Quay Street”. */
function left(target: Target, names: EstateNames): string {
  if (target.on === 'devices') return devicesText(target.deviceIds, names)
  const { noun, more } = phrase(target, names)
  if (noun === undefined) return more === undefined ? 'every device' : `those ${more}`
  return `every ${noun}${more ? ` ${more}` : ''}`
}

/**
 * A target as it reads in a sentence.
 * @example targetSentence({ on: 'all', of: [{ on: 'kind', kind: 'server' }, { on: 'os', osFamily: 'linux' }, { on:
 * 'except', of: [{ on: 'tag', tag: 'lab' }] }] }, noNames)
 * // 'every server running Linux, except those tagged lab'
 */
export function targetSentence(target: Target, names: EstateNames): string {
  if (target.on === 'devices') return devicesText(target.deviceIds, names)
  const { noun, more } = phrase(target, names)
  return `every ${noun ?? 'device'}${more ? (more.startsWith(', ') ? more : ` ${more}`) : ''}`
}
