<script setup lang="ts">
import { useRouter } from 'vue-router'
import type { WatchlineSpan } from '#contract'
import type { Millis } from '#core'
import { fullText } from '../../format/time'

/** Maintenance windows on a lane, hatched. */
defineProps<{ spans: readonly WatchlineSpan[]; y: number; until: Millis; clamp: (at: Millis) => number }>()
const router = useRouter()
</script>

<template>
  <g
    v-for="span in spans"
    :key="span.occurrence"
    data-open
    class="open"
    @click="router.push(`/maintenance/${span.windowId}`)"
  >
    <title>{{ span.name }}, {{ fullText(span.from) }} – {{ span.until ? fullText(span.until) : 'no end' }}</title>
    <rect
      :x="clamp(span.from)"
      :y="y - 3.5"
      :width="Math.max(2, clamp(span.until ?? until) - clamp(span.from))"
      height="7"
      fill="url(#hatch)"
      stroke="var(--held)"
      stroke-width=".9"
    />
  </g>
</template>

<style scoped>
.open {
  cursor: pointer;
}
</style>
