<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import type { WatchlineTick } from '#contract'
import { urgency, type Millis } from '#core'
import { fullText } from '../../format/time'

/** Alerts on a lane: a tick where each began, pale for as long as it was open. The worst lies on top. */
const props = defineProps<{
  ticks: readonly WatchlineTick[]
  y: number
  from: Millis
  now: Millis
  clamp: (at: Millis) => number
}>()
const router = useRouter()
const ordered = computed(() => [...props.ticks].sort((a, b) => urgency(a.severity) - urgency(b.severity)))
</script>

<template>
  <g
    v-for="tick in ordered"
    :key="tick.alertId"
    data-open
    class="open"
    @click="router.push(`/rounds?alert=${tick.alertId}`)"
  >
    <title>{{ tick.title }} on {{ tick.deviceName }}, {{ fullText(tick.at) }}{{ tick.until ? ` – ${fullText(tick.until)}` : '' }}</title>
    <rect
      :x="clamp(tick.at)"
      :y="y - 2"
      :width="Math.max(0, clamp(tick.until ?? now) - clamp(tick.at))"
      height="4"
      :fill="`var(--${tick.severity})`"
      opacity=".32"
    />
    <rect
      v-if="tick.at >= from"
      :x="clamp(tick.at) - 1"
      :y="y - 4"
      width="2.5"
      height="8"
      :fill="`var(--${tick.severity})`"
    />
  </g>
</template>

<style scoped>
.open {
  cursor: pointer;
}
</style>
