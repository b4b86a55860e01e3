<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import type { LaneSpan } from '#contract'
import { minute, type Millis } from '#core'
import { zonedText } from '../../../parts/format/time'
import { pulled, type Grip } from './stack'

/**
 * A window on its lane: opened by a click, moved and stretched by the mouse, or by the arrow keys and Enter. What it
 * was pulled to is told when it is let go.
 */
const props = defineProps<{
  span: LaneSpan
  row: number
  x: (at: Millis) => number
  /** Time that so many pixels are. */
  across: (pixels: number) => Millis
  step: Millis
  zone: string
  mayMove: boolean
  end: Millis
}>()
const emit = defineEmits<{ moved: [from: Millis, until: Millis] }>()
const router = useRouter()
const pull = ref<{ from: Millis; until: Millis } | null>(null)
watch(
  () => [props.span.from, props.span.until],
  () => {
    pull.value = null
  },
)
const canMove = computed(() => props.mayMove && props.span.movable && props.span.until !== null)
const shown = computed(() => pull.value ?? { from: props.span.from, until: props.span.until ?? props.end })
const left = computed(() => props.x(shown.value.from))
const width = computed(() => Math.max(4, props.x(shown.value.until) - left.value))
/** What can be hit: WCAG 2.2, 2.5.8. */
const target = computed(() => Math.max(24, width.value))
const text = computed(
  () =>
    `${props.span.name}, ${zonedText(shown.value.from, props.zone)} – ${props.span.until === null ? 'no end' : zonedText(shown.value.until, props.zone)} (${props.zone})`,
)

let began: { x: number; grip: Grip } | null = null
let wasPulled = false
function down(event: PointerEvent): void {
  wasPulled = false
  if (!canMove.value || event.button !== 0) return
  const box = (event.currentTarget as Element).getBoundingClientRect()
  const edge = Math.min(7, box.width / 4)
  const grip = event.clientX < box.left + edge ? 'start' : event.clientX > box.right - edge ? 'end' : 'move'
  began = { x: event.clientX, grip }
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
}
function move(event: PointerEvent): void {
  if (!began || Math.abs(event.clientX - began.x) < 4) return
  const { from, until } = props.span
  pull.value = pulled({ from, until: until! }, began.grip, props.across(event.clientX - began.x), props.step)
  wasPulled = true
}
function up(): void {
  began = null
  if (pull.value && wasPulled) emit('moved', pull.value.from, pull.value.until)
}
/** A window of one minute is stretched by less than the step of the page. */
const keyStep = computed(() => Math.max(15 * minute, props.step))
function key(event: KeyboardEvent): void {
  if (event.key === 'Escape' && pull.value) {
    pull.value = null
    event.stopPropagation()
  }
  if (event.key === 'Enter' && pull.value) {
    event.preventDefault()
    emit('moved', pull.value.from, pull.value.until)
  }
  const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
  if (!way || !canMove.value) return
  event.preventDefault()
  pull.value = pulled(shown.value, event.shiftKey ? 'end' : 'move', way * keyStep.value, keyStep.value)
}
function open(): void {
  if (!wasPulled && !pull.value) void router.push(`/maintenance/${props.span.windowId}`)
}
defineExpose({
  reset: () => {
    pull.value = null
  },
})
</script>

<template>
  <button
    type="button"
    class="span"
    :class="{ pulled: pull, movable: canMove, endless: span.until === null }"
    :style="{ left: `${left}px`, width: `${target}px`, top: `${3 + row * 26}px` }"
    :title="text"
    :aria-label="text + (pull ? ', not saved: Enter saves, Escape puts it back' : '')"
    data-span
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="up"
    @keydown="key"
    @blur="pull = began ? pull : null"
    @click="open"
  ><span
    class="drawn"
    :style="{ width: `${width}px` }"
  ><span v-if="width > 44" class="name">{{ span.name }}</span></span></button>
</template>

<style scoped>
.span {
  position: absolute;
  height: 24px;
  padding: 0;
  border: 0;
  background: none;
  color: var(--ink);
  text-align: left;
  cursor: pointer;
  touch-action: none;
}
.drawn {
  display: block;
  height: 20px;
  padding: 0 2px;
  border: 1px solid var(--held);
  border-radius: 2px;
  background: repeating-linear-gradient(
    135deg,
    color-mix(in srgb, var(--held) 26%, transparent) 0 2px,
    color-mix(in srgb, var(--held) 7%, var(--sheet)) 2px 6px
  );
  font: 12px/18px var(--sans);
  overflow: hidden;
  white-space: nowrap;
}
.name {
  background: color-mix(in srgb, var(--sheet) 80%, transparent);
  padding: 0 2px;
}
.movable {
  cursor: grab;
}
.movable .drawn {
  border-left-width: 3px;
  border-right-width: 3px;
}
.pulled {
  cursor: grabbing;
  z-index: 2;
}
.pulled .drawn {
  border-style: dashed;
}
.endless .drawn {
  border-right-style: dotted;
}
</style>
