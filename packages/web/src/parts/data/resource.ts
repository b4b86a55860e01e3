import { onScopeDispose, shallowRef, watch, type Ref, type ShallowRef } from 'vue'
import type { LiveEvent } from '#contract'
import type { ApiError } from './api'
import { onLive } from './live'

export interface Resource<T> {
  data: ShallowRef<T | null>
  error: ShallowRef<ApiError | null>
  refresh(): Promise<void>
}

export interface ResourceOptions {
  /** Read again when one of these changes… */
  topics?: LiveEvent['topic'][]
  /** …and it concerns this device. */
  deviceId?: () => number
  /** Read again, from nothing, when one of these changes. */
  sources?: Ref<unknown>[]
  /** It shows how it is now, also while the page looks back. */
  isNow?: boolean
}

/** What the server says, kept up to date by the live feed. An answer that was overtaken by a newer one is dropped. */
export function useResource<T>(
  read: () => Promise<T>,
  { topics = [], deviceId, sources = [], isNow = false }: ResourceOptions = {},
): Resource<T> {
  const data = shallowRef<T | null>(null)
  const error = shallowRef<ApiError | null>(null)
  let turn = 0
  let timer: ReturnType<typeof setTimeout> | null = null
  let took = 0
  async function refresh(): Promise<void> {
    const mine = ++turn
    const began = Date.now()
    try {
      const answer = await read()
      if (mine !== turn) return
      data.value = answer
      error.value = null
    } catch (problem) {
      // While the server is away the page says so once, and what was read stays in sight.
      const away = (problem as ApiError).problem?.code === 'unreachable' && data.value !== null
      if (mine === turn && !away) error.value = problem as ApiError
    }
    took = Date.now() - began
  }
  const hear = (event: LiveEvent | 'again') => {
    const wanted =
      event === 'again' ||
      (topics.includes(event.topic) &&
        (!deviceId || event.deviceIds.length === 0 || event.deviceIds.includes(deviceId())))
    // Several changes within a moment are one look; what took long is looked at less often, however much happens.
    // Of many devices one or another reports all the time; one that is named does once in a while.
    const isNamed = event !== 'again' && deviceId !== undefined && event.deviceIds.length > 0
    const isConstant = event !== 'again' && event.topic === 'reports' && !isNamed
    if (wanted)
      timer ??= setTimeout(
        () => {
          timer = null
          void refresh()
        },
        Math.max(2 * took, isConstant ? 1500 : 60),
      )
  }
  onLive(hear, { always: isNow })
  onScopeDispose(() => {
    if (timer) clearTimeout(timer)
  })
  if (sources.length)
    watch(sources, () => {
      data.value = null
      void refresh()
    })
  void refresh()
  return { data, error, refresh }
}
