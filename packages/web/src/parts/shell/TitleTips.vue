<script setup lang="ts">
import { ElTooltip } from 'element-plus/es/components/tooltip/index'
import 'element-plus/es/components/tooltip/style/css'
import { useEventListener } from '@vueuse/core'
import { ref, shallowRef } from 'vue'

/**
 * What an element says with HTML's own `title` is shown in the look of the page: for who points at it, and for who
 * comes to it by keyboard, whom a browser does not show it.
 */
const target = shallowRef<HTMLElement | null>(null)
const text = ref('')
const isShown = ref(false)
/** Taken away while somebody points at it, or the browser would show it a second time. */
let taken: { from: HTMLElement; title: string } | null = null
let timer: ReturnType<typeof setTimeout> | undefined
const delay = 350

function hide(): void {
  clearTimeout(timer)
  isShown.value = false
  // What it says may have become another meanwhile.
  if (taken && !taken.from.title) taken.from.title = taken.title
  taken = null
}
function show(element: HTMLElement, title: string): void {
  target.value = element
  text.value = title
  timer = setTimeout(() => {
    isShown.value = element.isConnected
  }, delay)
}
const titled = (event: Event) => (event.target as Element).closest?.<HTMLElement>('[title]:not([title=""])')
useEventListener(document, 'pointerover', (event) => {
  if (taken?.from.contains(event.target as Node)) return
  hide()
  const element = titled(event)
  if (!(element instanceof HTMLElement)) return
  taken = { from: element, title: element.title }
  element.removeAttribute('title')
  show(element, taken.title)
})
useEventListener(document, 'focusin', (event) => {
  hide()
  const element = titled(event)
  if (element instanceof HTMLElement && element.matches(':focus-visible')) show(element, element.title)
})
useEventListener(document, 'focusout', hide)
useEventListener(document, 'pointerdown', hide)
useEventListener(document, 'keydown', hide)
useEventListener(document, 'scroll', hide, { capture: true, passive: true })
</script>

<template>
  <ElTooltip
    v-if="target"
    :visible="isShown"
    :virtual-ref="target"
    virtual-triggering
    effect="light"
    placement="top"
    :show-arrow="false"
    :offset="6"
    popper-class="tip"
  >
    <template #content><span class="text">{{ text }}</span></template>
  </ElTooltip>
</template>

<style scoped>
.text {
  white-space: pre-line;
}
</style>
