<script setup lang="ts">
import { scaleTime } from 'd3-scale'
import { useElementSize } from '@vueuse/core'
import { storeToRefs } from 'pinia'
import { computed, ref, useTemplateRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Watchline } from '#contract'
import { countText, hour, minute, numberText, type Millis } from '#core'
import { api } from '../../data/api'
import { asOf, lookBackFrom, overBy } from '../../data/asOf'
import { useResource } from '../../data/resource'
import { useSession } from '../../data/session'
import { clockText, fullText, present as clock } from '../../format/time'
import { useKeys } from '../keys'
import { lookBackTo } from '../lookBack'
import AlertTicks from './AlertTicks.vue'
import CrowdColumns from './CrowdColumns.vue'
import WindowSpans from './WindowSpans.vue'

/**
 * The last 24 hours and the next 12 on every page: alerts as ticks, windows as hatched spans, a lane for each client;
 * many are folded into one lane by the server, and the page below still tells them apart.
 */
const session = useSession()
const route = useRoute()
const router = useRouter()
const { clientId } = storeToRefs(session)
const line = useResource(
  () => api.get<Watchline>(`/watchline${clientId.value === null ? '' : `?client=${clientId.value}`}`),
  { topics: ['alerts', 'windows', 'estate'], sources: [clientId], isNow: true },
)
const box = ref<HTMLElement | null>(null)
const { width } = useElementSize(box)
const left = 150
/** A pixel is some two minutes: it is drawn anew six times a minute, not every second. */
const now = computed(() => Math.floor(clock.value / 10_000) * 10_000)
const from = computed(() => now.value - 24 * hour)
const until = computed(() => now.value + 12 * hour)
const x = computed(() => scaleTime([from.value, until.value], [left, Math.max(left + 100, width.value - 18)]))

/** Columns end when they were counted: in a quiet night they are counted anew, so that what is open reaches to now. */
const countedEvery = 5 * minute
let countedAt = clock.value
watch(now, (at) => {
  if (at - countedAt < countedEvery) return
  countedAt = at
  void line.refresh()
})

const lanes = computed(() => line.data.value?.lanes ?? [])
const crowd = computed(() => line.data.value?.crowd ?? null)
const crowdName = computed(() => {
  return session.client?.name ?? countText(line.data.value?.clients ?? 0, 'client')
})
const crowdBase = 58
const laneHeight = computed(() => (lanes.value.length > 4 ? 10.3 : lanes.value.length > 2 ? 14 : 22))
const y = (i: number) => 9 + i * laneHeight.value
const hours = computed(() => Array.from({ length: 13 }, (_, i) => from.value + i * 3 * hour))
/** Where there is no room for all times only some are written: a clock needs some 40 pixels. */
const every = computed(() => Math.max(1, Math.ceil(40 / Math.max(1, x.value(hours.value[1]!) - x.value(hours.value[0]!)))))
const clamp = (at: Millis) => Math.max(left, Math.min(width.value - 18, x.value(at)))

const pointer = ref<number | null>(null)
const dragFrom = ref<Millis | null>(null)
function timeAt(event: PointerEvent): Millis {
  return x.value.invert(Math.max(left, event.clientX - box.value!.getBoundingClientRect().left)).getTime()
}
/** Where the marker stands that is being drawn to a time that is over; null: nobody draws it. */
const markerAt = ref<Millis | null>(null)
const marker = computed(() => markerAt.value ?? asOf.value ?? now.value)
const hasPast = computed(() => route.meta.past === true)
function lookBack(at: Millis | null): void {
  if (hasPast.value) lookBackTo(router, at)
}
function down(event: PointerEvent): void {
  if ((event.target as Element).closest('[data-open]')) return
  if (hasPast.value && (event.target as Element).closest('[data-marker]')) {
    markerAt.value = timeAt(event)
    ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
    return
  }
  dragFrom.value = timeAt(event)
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
}
function move(event: PointerEvent): void {
  pointer.value = timeAt(event)
  if (markerAt.value !== null) markerAt.value = Math.min(now.value, pointer.value)
}
function up(event: PointerEvent): void {
  if (markerAt.value !== null) {
    const at = timeAt(event)
    markerAt.value = null
    // A touch without moving it is none.
    if (Math.abs(x.value(at) - x.value(asOf.value ?? now.value)) > 5) lookBack(at > now.value - minute ? null : overBy(at, now.value))
    return
  }
  if (dragFrom.value === null) return
  const [a, b] = [dragFrom.value, timeAt(event)].sort((a0, other) => a0 - other) as [number, number]
  dragFrom.value = null
  if (Math.abs(x.value(b) - x.value(a)) > 5) session.span = { from: a, until: b }
  else session.span = session.span ? null : stepAt(a)
}
/** The step of a column that is clicked. */
function stepAt(at: Millis): { from: Millis; until: Millis } | null {
  const step = crowd.value?.steps.findLast((candidate) => candidate.at <= at)
  return step && crowd.value && at <= now.value ? { from: step.at, until: step.at + crowd.value.width } : null
}
const marked = computed(() =>
  dragFrom.value !== null && pointer.value !== null
    ? { from: Math.min(dragFrom.value, pointer.value), until: Math.max(dragFrom.value, pointer.value) }
    : session.span,
)
const flag = computed(() => {
  if (markerAt.value !== null) return fullText(markerAt.value)
  if (session.span && dragFrom.value === null)
    return `${clockText(session.span.from)} – ${clockText(session.span.until)}`
  if (pointer.value !== null && !isOverMarker.value) return fullText(pointer.value)
  return asOf.value === null ? 'now' : fullText(asOf.value)
})
const flagAt = computed(() => {
  if (markerAt.value !== null) return clamp(markerAt.value)
  if (session.span && dragFrom.value === null) return clamp((session.span.from + session.span.until) / 2)
  if (pointer.value !== null && !isOverMarker.value) return clamp(pointer.value)
  return clamp(asOf.value ?? now.value)
})
/** Then the flag stays where it can be taken. */
const isOverMarker = computed(
  () => hasPast.value && pointer.value !== null && Math.abs(clamp(pointer.value) - clamp(marker.value)) < 18,
)
const hand = useTemplateRef<HTMLElement>('hand')
const stride = 15 * minute
/** Where a span began that is being drawn with Shift held down. */
let anchor: Millis | null = null
const within = (at: Millis) => Math.max(from.value, Math.min(until.value, at))
/** The arrows point a quarter of an hour on, with Ctrl three hours; with Shift they draw a span, as dragging does. */
function keyed(event: KeyboardEvent): void {
  const at = pointer.value ?? now.value
  const by = event.ctrlKey ? 3 * hour : stride
  const to = { ArrowLeft: at - by, ArrowRight: at + by, Home: from.value, End: until.value }[event.key]
  if (to !== undefined) {
    pointer.value = within(to)
    if (event.shiftKey) {
      anchor ??= at
      const [a, b] = [anchor, pointer.value].sort((one, other) => one - other) as [number, number]
      session.span = { from: a, until: b }
    } else anchor = null
  } else if (event.key === 'Enter' && at < now.value - minute) {
    lookBack(overBy(at, now.value))
  } else if (event.key === 'Escape') {
    session.span = null
    pointer.value = null
    anchor = null
  } else return
  event.preventDefault()
  event.stopPropagation()
}
useKeys('Everywhere', [
  { key: 'w', does: 'to the watchline: arrows point at a time, with Shift they draw a span, Enter shows how it was then', run: () => hand.value?.focus() },
  {
    key: 'n',
    does: 'back to now: the whole time again',
    run: () => {
      session.span = null
      if (asOf.value !== null) lookBack(null)
    },
  },
  {
    key: 'p',
    does: 'look back: how it was an hour ago, and once more an hour earlier',
    run: () => lookBack(asOf.value === null ? lookBackFrom(now.value) : asOf.value - hour),
  },
])
</script>

<template>
  <div
    ref="box"
    class="watchline"
    role="group"
    aria-label="Watchline: alerts and maintenance windows, the last 24 and the next 12 hours"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointerleave="pointer = null"
  >
    <span
      ref="hand"
      class="hand"
      role="slider"
      tabindex="0"
      aria-label="Time on the watchline"
      :aria-valuemin="from"
      :aria-valuemax="until"
      :aria-valuenow="pointer ?? now"
      :aria-valuetext="session.span ? `from ${fullText(session.span.from)} until ${fullText(session.span.until)}` : pointer ? fullText(pointer) : 'now'"
      :style="{ left: `${clamp(pointer ?? now)}px` }"
      @keydown="keyed"
      @blur="pointer = null"
    />
    <svg v-if="width" :width="width" height="84">
      <defs>
        <pattern id="hatch" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="6" height="6" fill="var(--sheet)" />
          <path d="M0 0v6" stroke="var(--held)" stroke-width="1.6" opacity=".6" />
        </pattern>
      </defs>
      <rect
        :x="clamp(now)"
        y="0"
        :width="Math.max(0, width - clamp(now))"
        height="84"
        fill="var(--ground)"
        opacity=".6"
      />
      <rect
        v-if="marked"
        :x="clamp(marked.from)"
        y="0"
        :width="clamp(marked.until) - clamp(marked.from)"
        height="68"
        fill="var(--act)"
        opacity=".16"
      />
      <g v-for="(at, i) in hours" :key="at">
        <path :d="`M${x(at)} 4V66`" stroke="var(--rule2)" />
        <text v-if="Math.abs(x(at) - flagAt) > 46 && i % every === 0" :x="x(at)" y="79" text-anchor="middle">{{ clockText(at) }}</text>
      </g>
      <template v-if="crowd">
        <text x="20" :y="crowdBase + 3.5">{{ crowdName }}</text>
        <path :d="`M${left} ${crowdBase}H${width - 18}`" stroke="var(--rule)" />
        <CrowdColumns :crowd="crowd" :base="crowdBase - 6" :height="40" :clamp="clamp" />
        <WindowSpans :spans="crowd.spans" :y="crowdBase" :until="until" :clamp="clamp" />
      </template>
      <g v-for="(lane, i) in lanes" :key="lane.clientId">
        <text x="20" :y="y(i) + 3.5">{{ lane.clientName }}</text>
        <path :d="`M${left} ${y(i)}H${width - 18}`" stroke="var(--rule)" />
        <WindowSpans :spans="lane.spans" :y="y(i)" :until="until" :clamp="clamp" />
        <AlertTicks :ticks="lane.ticks" :y="y(i)" :from="from" :now="now" :clamp="clamp" />
      </g>
      <text v-if="line.data.value?.moreSpans" x="20" y="34">+ {{ numberText(line.data.value.moreSpans) }} windows</text>
      <path :d="`M${clamp(now)} 0V68`" stroke="var(--ink)" stroke-width="1.4" />
      <path v-if="flag !== 'now'" :d="`M${flagAt} 0V68`" stroke="var(--act)" stroke-dasharray="2 2" />
      <path v-if="marker !== now" :d="`M${clamp(marker)} 0V68`" stroke="var(--act)" stroke-width="2" />
      <rect
        :x="flagAt - (flag === 'now' ? 17 : 52)"
        y="68"
        :width="flag === 'now' ? 34 : 104"
        height="14"
        rx="2"
        fill="var(--ink)"
      />
      <text :x="flagAt" y="79" text-anchor="middle" class="flag">{{ flag }}</text>
      <g v-if="hasPast" data-marker class="marker">
        <title>Draw it to a time that is over, to see how it was then</title>
        <rect :x="clamp(marker) - 18" y="67" width="36" height="17" fill="transparent" />
      </g>
    </svg>
    <button v-if="hasPast && asOf === null" class="link back" @pointerdown.stop @click="lookBack(lookBackFrom(now))">Look back <kbd>p</kbd></button>
  </div>
</template>

<style scoped>
.hand {
  position: absolute;
  top: 2px;
  bottom: 2px;
  width: 1px;
  /* For the keyboard; what is taken with the pointer lies below it. */
  pointer-events: none;
}
.watchline {
  position: relative;
  height: 84px;
  flex: none;
  background: var(--sheet);
  border-bottom: 1px solid var(--rule);
  touch-action: none;
  cursor: crosshair;
  user-select: none;
  overflow: hidden;
}
.marker {
  cursor: ew-resize;
}
.back {
  position: absolute;
  left: 20px;
  bottom: 0;
  font-size: 12px;
}
text {
  font: 11px var(--sans);
  fill: var(--ink2);
  font-variant-numeric: tabular-nums;
}
.flag {
  fill: var(--ground);
}
</style>
