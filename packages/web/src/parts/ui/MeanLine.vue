<script setup lang="ts">
import { computed } from 'vue'

/** A small line of means, from nothing to the most that is drawn beside it; gaps stay gaps. */
const props = withDefaults(
  defineProps<{ label: string; means: readonly (number | null)[]; most: number; width?: number; height?: number }>(),
  { width: 160, height: 24 },
)
const path = computed(() => {
  const step = props.width / Math.max(1, props.means.length - 1)
  let isDrawing = false
  return props.means
    .map((mean, i) => {
      if (mean === null) {
        isDrawing = false
        return ''
      }
      const y = props.height - 1 - (props.most > 0 ? (mean / props.most) * (props.height - 2) : 0)
      const command = `${isDrawing ? 'L' : 'M'}${(i * step).toFixed(1)} ${y.toFixed(1)}`
      isDrawing = true
      return command
    })
    .join('')
})
</script>

<template>
  <svg :viewBox="`0 0 ${width} ${height}`" :width="width" :height="height" role="img" :aria-label="label">
    <path :d="`M0 ${height - 0.5}H${width}`" stroke="var(--rule)" fill="none" />
    <path :d="path" stroke="var(--ink)" stroke-width="1.3" fill="none" />
  </svg>
</template>
