import { ref } from 'vue'
import { createRouter, createWebHistory, type RouteLocationNormalized } from 'vue-router'
import { useSession } from './parts/data/session'
import { keepLookingBack } from './parts/shell/lookBack'
import RoundsPlace from './places/rounds/RoundsPlace.vue'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/rounds' },
    { path: '/sign-in', component: () => import('./places/access/SignIn.vue'), meta: { open: true } },
    { path: '/invitation', component: () => import('./places/access/InvitationPlace.vue'), meta: { open: true } },
    { path: '/rounds', component: RoundsPlace, meta: { place: 'Rounds', past: true } },
    {
      path: '/rounds/shift',
      component: () => import('./places/rounds/ShiftPlace.vue'),
      meta: { place: 'Rounds' },
    },
    {
      path: '/alerts/:id(\\d+)',
      component: () => import('./places/rounds/AlertPlace.vue'),
      meta: { place: 'Rounds' },
    },
    {
      path: '/requests/:id(\\d+)',
      component: () => import('./places/requests/RequestPlace.vue'),
      meta: { place: 'Rounds' },
    },
    {
      path: '/estate',
      component: () => import('./places/estate/EstatePlace.vue'),
      meta: { place: 'Estate', past: true },
    },
    {
      path: '/estate/series',
      component: () => import('./places/estate/SeriesBoard.vue'),
      meta: { place: 'Estate' },
    },
    {
      path: '/estate/services',
      component: () => import('./places/estate/services/ServicesBoard.vue'),
      meta: { place: 'Estate', past: true },
    },
    {
      path: '/estate/updates',
      component: () => import('./places/estate/updates/UpdatesBoard.vue'),
      meta: { place: 'Estate', past: true },
    },
    {
      path: '/estate/log',
      component: () => import('./places/estate/eventlog/LogBoard.vue'),
      meta: { place: 'Estate', past: true },
    },
    {
      path: '/estate/reach',
      component: () => import('./places/estate/reach/ReachBoard.vue'),
      meta: { place: 'Estate' },
    },
    {
      path: '/estate/filling',
      component: () => import('./places/estate/FillingBoard.vue'),
      meta: { place: 'Estate' },
    },
    {
      path: '/estate/:id(\\d+)',
      component: () => import('./places/estate/DevicePlace.vue'),
      meta: { place: 'Estate', past: true },
    },
    {
      path: '/estate/:id(\\d+)/why',
      component: () => import('./places/estate/WhyPlace.vue'),
      meta: { place: 'Estate' },
    },
    { path: '/rollout', component: () => import('./places/rollout/RolloutPlace.vue'), meta: { place: 'Rollout' } },
    { path: '/policy', component: () => import('./places/policy/PolicyPlace.vue'), meta: { place: 'Policy' } },
    {
      path: '/policy/compare',
      component: () => import('./places/policy/templates/ComparePlace.vue'),
      meta: { place: 'Policy' },
    },
    {
      path: '/policy/:id(\\d+)',
      component: () => import('./places/policy/templates/TemplatePlace.vue'),
      meta: { place: 'Policy' },
    },
    {
      path: '/maintenance',
      component: () => import('./places/maintenance/MaintenancePlace.vue'),
      meta: { place: 'Maintenance', past: true },
    },
    {
      path: '/maintenance/:id(\\d+)',
      component: () => import('./places/maintenance/WindowPlace.vue'),
      meta: { place: 'Maintenance', past: true },
    },
    {
      path: '/maintenance/calendar',
      component: () => import('./places/maintenance/calendar/CalendarPlace.vue'),
      meta: { place: 'Maintenance' },
    },
    { path: '/setup', component: () => import('./places/setup/SetupPlace.vue'), meta: { place: 'Setup' } },
    { path: '/me', component: () => import('./places/me/OwnPlace.vue'), meta: { place: 'Your page' } },
    {
      path: '/reference',
      component: () => import('./places/reference/ReferencePlace.vue'),
      meta: { place: 'What programs can ask' },
    },
    { path: '/storage', redirect: { path: '/setup', query: { part: 'storage' } } },
    { path: '/:rest(.*)*', component: () => import('./parts/ui/NothingHere.vue') },
  ],
})

keepLookingBack(router)
router.beforeEach(async (to) => {
  if (to.meta.open) return true
  // The program of the place comes while it is asked who this is; what fails is told when its turn comes.
  for (const { components } of to.matched) {
    const place = components?.default as (() => Promise<unknown>) | { setup?: unknown } | undefined
    if (typeof place === 'function') place().catch(() => undefined)
  }
  const session = useSession()
  if (!(await session.load())) return { path: '/sign-in', query: { to: to.fullPath } }
  // Nothing else is open to them.
  return session.person?.isFactorDue && to.path !== '/me' ? '/me' : true
})
router.afterEach((to) => {
  document.title = to.meta.place ? `${to.meta.place as string} · Custode` : 'Custode'
})

/** The address of a place that could not be opened; null: none. */
export const stuckAt = ref<string | null>(null)
const retryEvery = 2000

/**
 * A place whose program or whose first answer did not come is tried again until it does, by loading the page anew: the
 * programs may be of another version by now.
 */
router.onError((error: unknown, to: RouteLocationNormalized) => {
  reportError(error)
  const isWaiting = stuckAt.value !== null
  stuckAt.value = to.fullPath
  if (!isWaiting) setTimeout(() => void tryAgain(), retryEvery)
})

export async function tryAgain(): Promise<void> {
  const path = stuckAt.value
  if (path === null) return
  const isThere = await fetch('/api/session', { cache: 'no-store' }).then(
    ({ status }) => status < 500,
    () => false,
  )
  if (isThere) location.assign(path)
  else setTimeout(() => void tryAgain(), retryEvery)
}
router.afterEach((_to, _from, failure) => {
  if (!failure) stuckAt.value = null
})
