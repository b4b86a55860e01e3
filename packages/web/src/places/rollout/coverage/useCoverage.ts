import { ref, toRef, type Ref } from 'vue'
import type { CoveragePage } from '#contract'
import type { GapGrouping } from '#core'
import { api } from '../../../parts/data/api'
import { useParts, type Parts } from '../../../parts/data/parts'
import { useSession } from '../../../parts/data/session'

export interface Coverage extends Parts<CoveragePage> {
  by: Ref<GapGrouping>
}

/** What is missing at the client in view. */
export function useCoverage(): Coverage {
  const session = useSession()
  const by = ref<GapGrouping>('need')
  const parts = useParts(
    (after) => {
      const query = new URLSearchParams({ by: by.value })
      if (session.clientId !== null) query.set('client', String(session.clientId))
      if (after) query.set('after', after)
      return api.get<CoveragePage>(`/coverage?${query}`)
    },
    (before, after) => ({ ...after, groups: [...before.groups, ...after.groups] }),
    { topics: ['policy', 'estate'], sources: [by, toRef(session, 'clientId')] },
  )
  return { ...parts, by }
}
