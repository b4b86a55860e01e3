import type { PersonListed, TeamView, WebhookNamed } from '#contract'
import type { Recipient } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import type { Choice } from '../../../parts/ui/choice'

/** A recipient as the value of a choice. */
export const keyOf = (recipient: Recipient): string =>
  recipient.to === 'leads' ? 'leads' : `${recipient.to} ${recipient.id}`

export function recipientOf(key: string): Recipient {
  const [to, id] = key.split(' ')
  return to === 'leads' ? { to } : { to: to as 'team' | 'on-call' | 'person' | 'webhook', id: Number(id) }
}

/** Everybody and everything that can be told. */
export function recipientChoices(
  teams: readonly Pick<TeamView, 'id' | 'name' | 'rotation'>[],
  people: readonly Pick<PersonListed, 'id' | 'name' | 'access' | 'deactivatedAt'>[],
  webhooks: readonly WebhookNamed[],
): Choice[] {
  return [
    { value: 'leads', text: 'the leads', group: 'Teams' },
    ...teams.flatMap(({ id, name, rotation }): Choice[] => [
      { value: `team ${id}`, text: name, group: 'Teams' },
      ...(rotation ? [{ value: `on-call ${id}`, text: `who is on call of ${name}`, group: 'Teams' }] : []),
    ]),
    ...people
      .filter(({ access, deactivatedAt }) => access !== 'contact' && deactivatedAt === null)
      .map(({ id, name }): Choice => ({ value: `person ${id}`, text: name, group: 'People' })),
    ...webhooks.map(({ id, name }): Choice => ({ value: `webhook ${id}`, text: name, group: 'Other systems' })),
  ]
}

/** The same, as there is now. */
export function useRecipients() {
  const teams = useResource(() => api.get<TeamView[]>('/teams'), { topics: ['callouts', 'people'] })
  const people = useResource(() => api.get<PersonListed[]>('/people'), { topics: ['people'] })
  const webhooks = useResource(() => api.get<WebhookNamed[]>('/webhooks'), { topics: ['callouts'] })
  return { teams, people, webhooks }
}
