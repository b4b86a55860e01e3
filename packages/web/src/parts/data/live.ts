import { onScopeDispose, ref } from 'vue'
import type { LiveEvent } from '#contract'
import { asOf } from './asOf'
import { hasEnded } from './ended'

type Listener = (event: LiveEvent | 'again') => void
const listeners = new Set<Listener>()
let source: EventSource | null = null

/** Whether the live connection stands; while it does not, what is shown may be old and the page says so. */
export const connected = ref(true)

const isOver = () =>
  fetch('/api/session', { cache: 'no-store' }).then(
    ({ status }) => status === 401,
    () => false,
  )

function open(): void {
  source = new EventSource('/api/live')
  source.onopen = () => {
    // Something may have happened in between: everybody reads again.
    if (!connected.value) for (const listener of listeners) listener('again')
    connected.value = true
  }
  source.onerror = () => {
    connected.value = false
    // The browser gives up when it is refused; then we ask whether the session has ended, or try from time to time.
    if (source?.readyState === EventSource.CLOSED)
      void isOver().then((over) => {
        hasEnded.value ||= over
        if (!hasEnded.value)
          setTimeout(() => {
            if (listeners.size) open()
          }, 3000)
      })
  }
  source.onmessage = ({ data }) => {
    const event = JSON.parse(data as string) as LiveEvent
    for (const listener of listeners) listener(event)
  }
}

/**
 * Hears what changes for as long as the component lives. What was does not change: nothing is heard while the page
 * looks back, but by what always shows how it is now.
 */
export function onLive(heard: Listener, { always = false } = {}): void {
  const listener: Listener = (event) => {
    if (always || asOf.value === null) heard(event)
  }
  listeners.add(listener)
  if (!source || source.readyState === EventSource.CLOSED) open()
  onScopeDispose(() => listeners.delete(listener))
}

export function closeLive(): void {
  source?.close()
  source = null
}
