import { watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useSession } from './session'

/**
 * The client in view stands in the address of a list, as what else narrows it: a link chooses the client, and choosing
 * another one changes the address.
 */
export function useClientInAddress(): void {
  const session = useSession()
  const route = useRoute()
  const router = useRouter()
  watch(
    () => route.query.client,
    (asked) => {
      const id = Number(asked)
      if (typeof asked === 'string' && Number.isInteger(id) && id !== session.clientId) session.choose(id)
    },
    { immediate: true },
  )
  watch(
    () => session.clientId,
    (id) => {
      const { client: _was, ...query } = route.query
      if (String(_was ?? '') !== String(id ?? ''))
        void router.replace({ query: id === null ? query : { ...query, client: String(id) } })
    },
  )
}
