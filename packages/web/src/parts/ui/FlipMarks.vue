<script setup lang="ts">
import { computed } from 'vue'
import { day, durationText, hour, type Millis } from '#core'
import { now, fullText } from '../format/time'

/** When a post that flips began to fail, as ticks up to now at the right: over two hours, or a day where that shows more. */
const props = defineProps<{ at: readonly Millis[] }>()
const width = 72
const since = (span: Millis) => props.at.filter((at) => at > now.value - span)
const span = computed(() => (since(2 * hour).length > 2 ? 2 * hour : day))
const ticks = computed(() =>
  since(span.value).map((at) => ((at - now.value + span.value) / span.value) * (width - 2) + 1),
)
</script>

<template>
  <svg
    :width="width"
    height="10"
    role="img"
    :aria-label="`over the last ${durationText(span)}; failed at ${at.slice(-8).map(fullText).join(', ')}`"
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
