<script setup lang="ts">
import { computed } from 'vue'

/** Log events of a day, a bar an hour; hours with errors stand out. */
const props = defineProps<{ events: number[]; errors: number[] }>()
const top = computed(() => Math.max(8, ...props.events))
const total = computed(() => props.events.reduce((sum, count) => sum + count, 0))
const bad = computed(() => props.errors.reduce((sum, count) => sum + count, 0))
</script>

<template>
  <svg
    width="96"
    height="18"
    viewBox="0 0 96 18"
    role="img"
    :aria-label="`${total} log events in 24 hours, ${bad} errors`"
  >
    <title>{{ total }} log events in 24 hours, {{ bad }} of them errors</title>
    <rect
      v-for="(count, i) in events"
      :key="i"
      :x="i * 4"
      :y="17 - (16 * count) / top"
      width="3"
      :height="Math.max(1, (16 * count) / top)"
      :fill="errors[i] ? 'var(--warning)' : 'var(--bar)'"
      :opacity="errors[i] ? 1 : 0.75"
    />
  </svg>
</template>
