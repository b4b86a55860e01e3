import { computed, type WritableComputedRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'

/**
 * A choice that stands in the address, so that a view can be sent to a colleague and found again with Back. Its default
 * is left out of the address.
 */
export function useAddressed(name: string, standard = ''): WritableComputedRef<string> {
  const route = useRoute()
  const router = useRouter()
  return computed({
    get: () => {
      const found = route.query[name]
      return typeof found === 'string' ? found : standard
    },
    set: (value) => {
      const { [name]: _was, ...query } = route.query
      void router.replace({ query: value === standard ? query : { ...query, [name]: value }, hash: route.hash })
    },
  })
}
