<script setup lang="ts">
import { ref } from 'vue'
import type { LaneSpan as Span } from '#contract'
import { day, hour, type Millis } from '#core'
import { useSession } from '../../../parts/data/session'
import { fullText } from '../../../parts/format/time'
import LaneSpan from './LaneSpan.vue'
import { snapped, type LaneRow } from './stack'

/** One lane with its windows; another one is drawn on it by dragging. */
const props = defineProps<{
  lane: LaneRow
  dates: readonly { at: Millis; weekend: boolean }[]
  x: (at: Millis) => number
  across: (pixels: number) => Millis
  /** The time that stands so many pixels from the left. */
  invert: (pixels: number) => Millis
  step: Millis
  end: Millis
  nowAt: number | null
  labelWidth: number
  /** Its name leads to its sites. */
  leads: boolean
}>()
const emit = defineEmits<{
  plan: [from: Millis, until: Millis]
  moved: [span: Span, from: Millis, until: Millis]
}>()
const session = useSession()
const drawn = ref<{ from: Millis; until: Millis } | null>(null)
let drawnFrom = 0
const timeAt = (event: PointerEvent) =>
  props.invert(event.clientX - (event.currentTarget as Element).getBoundingClientRect().left)
function down(event: PointerEvent): void {
  if (
    !session.mayChange ||
    event.button !== 0 ||
    (event.target as Element).closest('[data-span]') ||
    props.lane.isShared
  )
    return
  drawnFrom = snapped(timeAt(event), props.step)
  drawn.value = { from: drawnFrom, until: drawnFrom }
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
}
function move(event: PointerEvent): void {
  if (!drawn.value) return
  const at = snapped(timeAt(event), props.step)
  drawn.value = { from: Math.min(drawnFrom, at), until: Math.max(drawnFrom, at) }
}
function up(): void {
  const span = drawn.value
  drawn.value = null
  if (span && span.until > span.from) emit('plan', span.from, span.until)
}
const nextHour = () => Math.ceil(Math.max(Date.now(), props.dates[0]!.at) / hour) * hour
</script>

<template>
  <div class="lane">
    <div class="label" :class="{ site: lane.siteId }" :style="{ width: `${labelWidth}px` }">
      <button
        v-if="leads"
        class="link name"
        :title="`${lane.name}: its sites`"
        @click="session.choose(lane.clientId)"
      >{{ lane.name }}</button>
      <span v-else class="name">{{ lane.name }}</span>
      <button
        v-if="session.mayChange && !lane.isShared"
        class="link plan"
        :aria-label="`Plan a window at ${lane.name}`"
        title="Plan a window here; or drag over its lane"
        @click="emit('plan', nextHour(), nextHour() + hour)"
      >+</button>
    </div>
    <div
      class="track"
      :data-lane="lane.name"
      :style="{ height: `${lane.rows * 26 + 4}px` }"
      @pointerdown="down"
      @pointermove="move"
      @pointerup="up"
      @pointercancel="drawn = null"
    >
      <span
        v-for="date in dates"
        :key="date.at"
        class="date-line"
        :class="{ weekend: date.weekend }"
        :style="{ left: `${x(date.at)}px`, width: `${x(date.at + day) - x(date.at)}px` }"
      ></span>
      <span v-if="nowAt !== null" class="now" :style="{ left: `${nowAt}px` }"></span>
      <LaneSpan
        v-for="{ span, row: at } in lane.spans"
        :key="span.occurrence"
        :span="span"
        :row="at"
        :x="x"
        :across="across"
        :step="step"
        :zone="lane.zone"
        :may-move="session.mayChange && (!lane.isShared || session.isLead)"
        :end="end"
        @moved="(from, until) => emit('moved', span, from, until)"
      />
      <span
        v-if="drawn"
        class="drawn"
        :style="{ left: `${x(drawn.from)}px`, width: `${x(drawn.until) - x(drawn.from)}px` }"
      >{{ fullText(drawn.from) }} – {{ fullText(drawn.until) }}</span>
    </div>
  </div>
</template>

<style scoped>
.name {
  min-height: 24px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  text-align: left;
}
.lane {
  display: flex;
  border-bottom: 1px solid var(--rule2);
}
.label {
  flex: none;
  display: flex;
  align-items: center;
  gap: 4px;
  padding-right: 8px;
  line-height: 20px;
}
.site .name {
  padding-left: 12px;
}
.plan {
  min-width: 24px;
  min-height: 24px;
  margin-left: auto;
  opacity: 0.55;
}
.lane:hover .plan,
.plan:focus-visible {
  opacity: 1;
}
.track {
  position: relative;
  flex: 1;
  min-width: 0;
  overflow: hidden;
  cursor: crosshair;
  touch-action: pan-y;
}
.date-line {
  position: absolute;
  top: 0;
  bottom: 0;
  border-left: 1px solid var(--rule2);
  pointer-events: none;
}
.weekend {
  background: color-mix(in srgb, var(--ink) 4%, transparent);
}
.now {
  position: absolute;
  top: 0;
  bottom: 0;
  border-left: 1.5px solid var(--act);
  pointer-events: none;
  z-index: 1;
}
.drawn {
  position: absolute;
  top: 3px;
  height: 20px;
  border: 1px dashed var(--held);
  background: var(--sheet);
  font: 12px/18px var(--sans);
  white-space: nowrap;
  pointer-events: none;
  z-index: 2;
}
</style>
