import type { KeysAccepted, KeysToAccept } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { attempt, done } from '../../../parts/ui/notify'

/** Accepts keys as they are on the page. @returns whether they were */
export async function acceptKeys(siteId: number, keys: KeysToAccept['keys']): Promise<boolean> {
  const answer = await attempt(() => api.post<KeysAccepted>(`/sites/${siteId}/host-keys`, { keys }))
  if (answer)
    done(
      keys.length === 1
        ? `The key of ${keys[0]!.address} is accepted: from now on passwords are sent there.`
        : `${countText(answer.accepted, 'key')} accepted: from now on passwords are sent there.`,
    )
  return answer !== null
}
