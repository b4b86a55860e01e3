import type { Router } from 'vue-router'
import { asOf, asOfText, readAsOf } from '../data/asOf'

/** Somebody goes to another time, or through the history of the browser: the address is as they want it. */
let isMeant = false

/**
 * Keeps the time that the page looks back to in the address, whatever else changes in it, from one place that can be
 * put there to the next. Back leads to where one was; what has no past is shown as it is now. To be called before any
 * other guard is added: what is meant is meant of the next navigation alone.
 */
export function keepLookingBack(router: Router): void {
  // Heard before the router itself does, which listens from the first navigation on.
  router.options.history.listen(() => {
    isMeant = true
  })
  router.beforeEach((to) => {
    const asIs = isMeant
    isMeant = false
    if (asOf.value === null || asIs) return true
    if (to.meta.past && to.query.asOf === undefined)
      return { ...to, query: { ...to.query, asOf: asOfText(asOf.value) } }
    // The chain of reasons has a time of its own.
    if (to.path.endsWith('/why') && to.query.at === undefined)
      return { ...to, query: { ...to.query, at: String(asOf.value) } }
    return true
  })
  router.beforeResolve((to) => {
    asOf.value = to.meta.past ? readAsOf(to.query.asOf, Date.now()) : null
  })
}

/** Puts the page to a time that is over; null: back to now. */
export function lookBackTo(router: Router, at: number | null): void {
  const { query: now, hash } = router.currentRoute.value
  const { asOf: _was, ...query } = now
  isMeant = true
  void router.push({ hash, query: at === null ? query : { ...query, asOf: asOfText(at) } })
}
