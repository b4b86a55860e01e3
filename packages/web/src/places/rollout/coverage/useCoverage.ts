import { ref, toRef, type Ref } from 'vue'
import type { CoveragePage } from '#contract'
import type { GapGrouping } from '#core'
import { api } from '../../../parts/data/api'
import { useResource, type Resource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'

export interface Coverage extends Resource<CoveragePage> {
  by: Ref<GapGrouping>
  /** Reads the next part, and keeps reading it with those before it. */
  more(): void
}

/** What is missing at the client in view: as many parts as somebody has gone down. */
export function useCoverage(): Coverage {
  const session = useSession()
  const by = ref<GapGrouping>('need')
  let parts = 1
  async function read(): Promise<CoveragePage> {
    let page: CoveragePage | null = null
    for (let i = 0; i < parts && (page === null || page.next !== null); i++) {
      const query = new URLSearchParams({ by: by.value })
      if (session.clientId !== null) query.set('client', String(session.clientId))
      if (page?.next) query.set('after', page.next)
      const part: CoveragePage = await api.get<CoveragePage>(`/coverage?${query}`)
      page = page ? { ...part, groups: [...page.groups, ...part.groups] } : part
    }
    return page!
  }
  const resource = useResource(read, { topics: ['policy', 'estate'], sources: [by, toRef(session, 'clientId')] })
  return {
    ...resource,
    by,
    more: () => {
      parts++
      void resource.refresh()
    },
  }
}
