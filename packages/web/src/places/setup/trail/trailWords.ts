import type { AuditLine } from '#contract'

/** What was done with an alert or a request, whose acts are kept by the names of their events. */
const alertActs: Record<string, string> = {
  taken: 'took',
  'given-back': 'gave back',
  'handed-over': 'handed over',
  declined: 'did not accept',
  hidden: 'hid',
  shown: 'showed again',
  promised: 'promised to look again at',
  note: 'noted something at',
  'asked-again': 'had its agent read again for',
  reopened: 'opened again',
  joined: 'said what it is about, of',
  placed: 'said whose it is, of',
}
export const doneText = ({ kind, action }: Pick<AuditLine, 'kind' | 'action'>): string =>
  (kind === 'alert' || kind === 'request' ? alertActs[action] : undefined) ?? action

/** Where a thing that can be looked at stands; null: it has no page of its own. */
export function pathOf({ kind, objectId }: Pick<AuditLine, 'kind' | 'objectId'>): string | null {
  if (objectId === null) return null
  switch (kind) {
    case 'device':
    case 'service':
      return `/estate/${objectId}`
    case 'alert':
      return `/alerts/${objectId}`
    case 'request':
      return `/requests/${objectId}`
    case 'template':
      return `/policy/${objectId}`
    case 'window':
      return `/maintenance/${objectId}`
    default:
      return null
  }
}

/** Names of fields as words: those that stand for something else by that, the others as they are written. */
const fields: Record<string, string> = {
  access: 'may',
  active: 'may sign in',
  clientId: 'client',
  clientIds: 'sees clients',
  dependsOn: 'depends on',
  siteId: 'site',
}
export const whatText = (what: string): string =>
  fields[what] ?? what.replace(/[A-Z]/g, (letter) => ` ${letter.toLowerCase()}`)

/** The changes of a line that say something: not its name once more, nor that there was none of something. */
export const told = ({ changes, name }: Pick<AuditLine, 'changes' | 'name'>): AuditLine['changes'] =>
  (changes ?? []).filter(
    ({ before, after }) =>
      before !== null || (after !== null && after !== '[]' && after !== '{}' && after !== '' && after !== name),
  )
