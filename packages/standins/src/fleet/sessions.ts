import { hour, type Millis, type Reading, type Sessions } from '#core'
import type { PlannedDevice } from '../estate/plan'

/** Whoever works at a workstation has been signed in since it was started; on servers there is nobody, by its story. */
export function sessionsOf(plan: PlannedDevice, startedAt: Millis, end: Millis): Sessions {
  const { kind, roles, story } = plan
  const forgotten = story?.signedIn
  const list: Sessions['list'] = []
  if (kind === 'workstation')
    list.push({
      id: '1',
      user: roles.includes('till') ? 'till' : 'office',
      kind: 'desktop',
      since: Math.round(startedAt),
      from: '',
    })
  if (forgotten)
    list.push({
      id: '7',
      user: forgotten.user,
      kind: 'desktop',
      since: Math.round(end - forgotten.hoursAgo * hour),
      from: forgotten.from,
    })
  return { list }
}

export const sessionReadings = ({ list }: Sessions): Reading[] => [['sessions.count', '', list.length]]
