import { computed, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { asOf } from '../../../parts/data/asOf'
import { useSession } from '../../../parts/data/session'
import { useKeys } from '../../../parts/shell/keys'
import type { Millis } from '#core'
import { drawn, moved, queryOf, shownOf, zoomed, type Shown } from './span'

/**
 * The time that is shown. It stands in the address: Back leads to what was shown before, and a colleague who is sent it
 * sees the same.
 */
export function useShown() {
  const route = useRoute()
  const router = useRouter()
  const session = useSession()
  const now = () => asOf.value ?? Date.now()
  // The same time is the same object, whatever else in the address changes.
  const text = computed(() => JSON.stringify(shownOf(route.query)))
  const shown = computed(() => JSON.parse(text.value) as Shown)
  function show(next: Shown, also: Record<string, string | null> = {}) {
    const query = Object.fromEntries(
      Object.entries({ ...route.query, ...queryOf(next), ...also }).filter(([, value]) => value !== null),
    )
    void router.push({ query, hash: route.hash })
  }
  const last = computed({
    get: () => ('last' in shown.value ? shown.value.last : 0),
    set: (value: number) => show({ last: value }),
  })
  function draw(a: Millis, b: Millis) {
    const next = drawn(a, b)
    if (next) show(next)
  }
  // A stretch that is drawn on the watchline is shown; what is to come of it has no readings.
  watch(
    () => session.span,
    (span) => {
      const next = span && span.from < now() ? drawn(span.from, Math.min(span.until, now())) : null
      if (next) show(next)
      else if (!span) show(shownOf({}))
    },
  )
  useKeys('Readings', [
    { key: '+', does: 'nearer: half of the time that is shown', run: () => show(zoomed(shown.value, 0.5, now())) },
    { key: '-', does: 'farther: twice the time', run: () => show(zoomed(shown.value, 2, now())) },
    { key: ',', does: 'earlier', run: () => show(moved(shown.value, -1, now())) },
    { key: '.', does: 'later', run: () => show(moved(shown.value, 1, now())) },
    { key: 'Escape', does: 'back to the last 24 hours', run: () => show(shownOf({})) },
  ])
  return { shown, show, last, draw, now }
}
