<script setup lang="ts">
import { computed } from 'vue'
import { matchedDays, mostMatches, type LogMatches } from '#contract'
import { countText, day, numberText, type Millis } from '#core'
import { dayText, fullText, now } from '../../../parts/format/time'

/** How often entries came in the last 14 days: day by day, and on which devices most. */
const props = defineProps<{ found: LogMatches }>()
const shown = computed(() => props.found.devices.slice(0, 8))
const height = 44
const step = 15
const today = computed(() => now.value - (now.value % day))
const days = computed(() => {
  const counts = new Map(props.found.days.map(({ day: at, entries }) => [at, entries]))
  return Array.from({ length: matchedDays }, (_, i) => today.value - (matchedDays - 1 - i) * day).map((at) => ({
    at,
    entries: counts.get(at) ?? 0,
  }))
})
const top = computed(() => Math.max(1, ...days.value.map(({ entries }) => entries)))
const bars = computed(() =>
  days.value
    .map(({ entries }, i) => {
      const bar = entries ? Math.max(2, (height * entries) / top.value) : 0
      return `M${i * step} ${height - bar}h${step - 2}v${bar}h-${step - 2}z`
    })
    .join(''),
)
/** Days are those of UTC: their middle falls on the same date wherever it is read. */
const dateOf = (at: Millis) => dayText(at + day / 2)
const barWords = computed(() => days.value.map(({ at, entries }) => `${dateOf(at)}: ${numberText(entries)}`).join(', '))
const words = computed(() => {
  const { total, deviceCount, isMore, since } = props.found
  if (!total) return `No such entry came in the last ${matchedDays} days.`
  if (isMore) return `More than ${numberText(mostMatches)} times since ${fullText(since)}, on ${countText(deviceCount, 'device')}: as a rule too often for an alert.`
  return `${numberText(total)} times in the last ${matchedDays} days, on ${countText(deviceCount, 'device')}.`
})
</script>

<template>
  <div>
    <p><b>{{ words }}</b></p>
    <template v-if="found.total">
      <svg :width="matchedDays * step" :height="height + 1" role="img" :aria-label="barWords">
        <title>{{ barWords }}</title>
        <path :d="`M0 ${height + 0.5}h${matchedDays * step}`" stroke="var(--rule)" />
        <path :d="bars" fill="var(--bar)" />
      </svg>
      <ul>
        <li v-for="device in shown" :key="device.deviceId">
          <RouterLink class="mono" :to="`/estate/${device.deviceId}`">{{ device.deviceName }}</RouterLink>{{ ' ' }}
          <span class="muted">{{ device.clientName }}</span> {{ numberText(device.entries) }}
        </li>
      </ul>
      <p v-if="found.deviceCount > shown.length" class="muted">and {{ countText(found.deviceCount - shown.length, 'device') }} more</p>
    </template>
  </div>
</template>

<style scoped>
ul {
  margin: 6px 0;
  padding: 0;
  list-style: none;
}
li {
  overflow-wrap: anywhere;
}
p {
  margin: 2px 0;
}
</style>
