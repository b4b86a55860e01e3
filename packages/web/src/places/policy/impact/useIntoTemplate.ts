import { computed, ref, type ComputedRef, type Ref } from 'vue'
import type { PolicyListing, TemplatePage } from '#contract'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'

type Listed = PolicyListing['templates'][number]

export interface IntoTemplate {
  /** Number of the template as a text; empty: none was chosen yet; 0: one that is yet to be made. */
  into: Ref<string>
  templates: ComputedRef<readonly Listed[]>
  /** The one that was chosen, whole. */
  chosen: ComputedRef<TemplatePage | null>
}

/** The template that a watch is put into. */
export function useIntoTemplate(): IntoTemplate {
  const session = useSession()
  const into = ref('')
  const listed = useResource(async () => (session.isLead ? (await api.get<PolicyListing>('/policy')).templates : []), {
    topics: ['policy'],
  })
  const page = useResource(
    async () => (Number(into.value) > 0 ? await api.get<TemplatePage>(`/templates/${into.value}`) : null),
    { topics: ['policy'], sources: [into] },
  )
  return {
    into,
    templates: computed(() => listed.data.value ?? []),
    chosen: computed(() => (String(page.data.value?.id) === into.value ? (page.data.value ?? null) : null)),
  }
}
