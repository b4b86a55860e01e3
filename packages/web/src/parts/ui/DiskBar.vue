<script setup lang="ts">
import { computed } from 'vue'
import type { BoardDisk } from '#contract'
import { bytesText, percentText } from '#core'

const props = defineProps<{ disk: BoardDisk }>()
const used = computed(() => (props.disk.size ? 1 - props.disk.free / props.disk.size : 0))
const colour = computed(() => (props.disk.severity ? `var(--${props.disk.severity})` : 'var(--bar)'))
const words = computed(
  () =>
    `${props.disk.mount}: ${percentText(1 - used.value)}, ${bytesText(props.disk.free)} free of ${bytesText(props.disk.size)}`,
)
</script>

<template>
  <svg width="44" height="9" viewBox="0 0 44 9" role="img" :aria-label="words">
    <title>{{ words }}</title>
    <rect x=".5" y=".5" width="43" height="8" fill="var(--field)" :stroke="disk.severity ? colour : 'var(--ink2)'" />
    <rect x="1" y="1" :width="42 * used" height="7" :fill="colour" />
  </svg>
</template>

<style scoped>
svg {
  margin-right: 5px;
  vertical-align: middle;
}
</style>
