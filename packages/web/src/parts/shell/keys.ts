import { onScopeDispose, shallowReactive } from 'vue'

export interface Key {
  key: string
  does: string
  run: () => void
}
const active = shallowReactive<{ place: string; keys: Key[] }[]>([])
export const activeKeys = active

function isTyping(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || ['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName))
  )
}

addEventListener('keydown', (event) => {
  if (
    event.ctrlKey ||
    event.metaKey ||
    event.altKey ||
    isTyping(event.target) ||
    document.querySelector('.el-overlay:not([style*="display: none"])')
  )
    return
  // Enter and space belong to the element that has the focus.
  if (['Enter', ' '].includes(event.key) && event.target instanceof HTMLElement && event.target.matches('a,button'))
    return
  for (const { keys } of [...active].reverse()) {
    const found = keys.find((binding) => binding.key === event.key)
    if (!found) continue
    event.preventDefault()
    found.run()
    return
  }
})

/** Keys of a place or part, for as long as it is shown; `?` lists them. */
export function useKeys(place: string, keys: Key[]): void {
  const entry = { place, keys }
  active.push(entry)
  onScopeDispose(() => {
    const at = active.indexOf(entry)
    if (at >= 0) active.splice(at, 1)
  })
}
