<script setup lang="ts">
import { computed } from 'vue'
import type { WatchlineCrowd } from '#contract'
import { numberText, type CrowdStep, type Millis } from '#core'
import { fullText } from '../../format/time'

/** How many alerts stood open in each step of a time: stacked from the base upwards, the worst at the bottom. */
const props = defineProps<{ crowd: WatchlineCrowd; base: number; height: number; clamp: (at: Millis) => number }>()
const severities = ['critical', 'warning', 'notice'] as const
const tallest = computed(() =>
  Math.max(4, ...props.crowd.steps.map((step) => step.critical + step.warning + step.notice)),
)
function column(step: CrowdStep): { severity: (typeof severities)[number]; y: number; height: number }[] {
  let top = props.base
  return severities
    .filter((severity) => step[severity] > 0)
    .map((severity) => {
      const height = (step[severity] / tallest.value) * props.height
      return { severity, y: (top -= height), height }
    })
}
</script>

<template>
  <g v-for="step in crowd.steps" :key="step.at">
    <title>{{ fullText(step.at) }}: {{ numberText(step.critical) }} critical, {{ numberText(step.warning) }} warning,
      {{ numberText(step.notice) }} notice open</title>
    <rect
      v-for="part in column(step)"
      :key="part.severity"
      :x="clamp(step.at)"
      :y="part.y"
      :width="Math.max(0, clamp(step.at + crowd.width) - clamp(step.at) - 1)"
      :height="part.height"
      :fill="`var(--${part.severity})`"
      opacity=".55"
    />
  </g>
  <text x="20" y="16">{{ numberText(tallest) }} open at most</text>
</template>

<style scoped>
text {
  font: 11px var(--sans);
  fill: var(--ink2);
  font-variant-numeric: tabular-nums;
}
</style>
