import { useMediaQuery } from '@vueuse/core'

/** A page of half the usual width, as at twice the size of text: things stand below each other, not side by side. */
export const useNarrow = () => useMediaQuery('(max-width: 900px)')
