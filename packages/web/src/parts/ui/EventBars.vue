<script setup lang="ts">
import { computed } from 'vue'

/** Log events of a day, a bar an hour; hours with errors stand out. */
const props = defineProps<{ events: number[]; errors: number[] }>()
/** All bars of one colour in one path: a board has hundreds of them. */
const bars = (isBad: boolean) =>
  computed(() =>
    props.events
      .map((count, i) => {
        const height = Math.max(1, (16 * count) / top.value)
        return props.errors[i]! > 0 === isBad ? `M${i * 4} ${17 - height}h3v${height}h-3z` : ''
      })
      .join(''),
  )
const top = computed(() => Math.max(8, ...props.events))
const total = computed(() => props.events.reduce((sum, count) => sum + count, 0))
const failed = computed(() => props.errors.reduce((sum, count) => sum + count, 0))
const usual = bars(false)
const bad = bars(true)
</script>

<template>
  <svg
    width="96"
    height="18"
    viewBox="0 0 96 18"
    role="img"
    :aria-label="`${total} log events in 24 hours, ${failed} errors`"
  >
    <title>{{ total }} log events in 24 hours, {{ failed }} of them errors</title>
    <path :d="usual" fill="var(--bar)" opacity=".75" />
    <path :d="bad" fill="var(--warning)" />
  </svg>
</template>
