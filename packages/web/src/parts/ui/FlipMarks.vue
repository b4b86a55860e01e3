<script setup lang="ts">
import { computed } from 'vue'
import { hour, type Millis } from '#core'
import { now, fullText } from '../format/time'

/** When a post that flips began to fail, as ticks over the last two hours, now at the right. */
const props = defineProps<{ at: readonly Millis[] }>()
const span = 2 * hour
const width = 72
const ticks = computed(() =>
  props.at.filter((at) => at > now.value - span).map((at) => ((at - now.value + span) / span) * (width - 2) + 1),
)
</script>

<template>
  <svg
    :width="width"
    height="10"
    role="img"
    :aria-label="`failed at ${at.slice(-8).map(fullText).join(', ')}`"
  ><path :d="`M0 9.5H${width}`" stroke="var(--rule)" /><path
    v-for="(x, i) in ticks"
    :key="i"
    :d="`M${x.toFixed(1)} 1V9`"
    stroke="var(--ink)"
    stroke-width="1.5"
  /></svg>
</template>

<style scoped>
svg {
  margin-left: 6px;
  vertical-align: -1px;
}
</style>
