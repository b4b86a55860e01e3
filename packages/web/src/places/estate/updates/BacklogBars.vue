<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { scaleLinear } from 'd3-scale'
import { computed, ref } from 'vue'
import type { BacklogDay } from '#contract'
import { countText, day, numberText, type Millis } from '#core'
import { dayText } from '../../../parts/format/time'

/** What waited at the end of each day: a bar a day, what mends security below, and of it on how many devices too long. */
const props = defineProps<{ days: readonly BacklogDay[]; asked: number; until: Millis }>()
const box = ref<HTMLElement | null>(null)
const { width } = useElementSize(box)
const height = 110
const [above, below] = [16, 18]
const first = computed(() => props.until - (props.until % day) - (props.asked - 1) * day)
const step = computed(() => Math.max(1, width.value / props.asked))
const top = computed(() => Math.max(1, ...props.days.map(({ security, other }) => security + other)))
const y = computed(() => scaleLinear([0, top.value], [height - below, above]))
const bars = computed(() =>
  props.days.map((row) => {
    const x = ((row.day - first.value) / day) * step.value
    const [base, middle, end] = [y.value(0), y.value(row.security), y.value(row.security + row.other)]
    const wide = Math.max(1, step.value - 1).toFixed(2)
    const rect = (from: number, to: number) => `M${x.toFixed(2)} ${to.toFixed(2)}h${wide}V${from.toFixed(2)}h-${wide}z`
    return { row, x, security: rect(base, middle), other: rect(middle, end) }
  }),
)
/** Days are those of UTC: their middle falls on the same date wherever it is read. */
const dateOf = (at: Millis) => dayText(at + day / 2)
const wordsOf = ({ day: at, security, other, held, behind, devices }: BacklogDay) =>
  `${dateOf(at)}: ${numberText(security)} security, ${numberText(other)} other${held ? `, ${numberText(held)} held back` : ''} on ${countText(devices, 'device')}; ${countText(behind, 'device')} behind`
const last = computed(() => props.days.at(-1))
const words = computed(() => {
  const [from, to] = [props.days[0], last.value]
  return from && to ? `What waited day by day. ${wordsOf(from)}. ${wordsOf(to)}.` : 'Nothing is known of what waited.'
})
const shown = ref<BacklogDay | null>(null)
</script>

<template>
  <div ref="box" @mouseleave="shown = null">
    <p class="muted caption">{{ shown ? wordsOf(shown) : last ? wordsOf(last) : '' }}</p>
    <svg :width="width" :height="height" role="img" :aria-label="words">
      <path :d="`M0 ${height - below}H${width}`" stroke="var(--rule)" />
      <path :d="bars.map((bar) => bar.other).join('')" fill="var(--bar)" opacity=".55" />
      <path :d="bars.map((bar) => bar.security).join('')" fill="var(--act)" />
      <text x="0" y="11" class="label">{{ numberText(top) }}</text>
      <text x="0" :y="height - 4" class="label">{{ dateOf(first) }}</text>
      <text :x="width" :y="height - 4" class="label" text-anchor="end">{{ dateOf(until - (until % day)) }}</text>
      <rect
        v-for="bar in bars"
        :key="bar.row.day"
        :x="bar.x"
        y="0"
        :width="step"
        :height="height"
        fill="transparent"
        @mouseenter="shown = bar.row"
      />
    </svg>
  </div>
</template>

<style scoped>
.caption {
  margin: 2px 0;
  min-height: 1.4em;
}
.label {
  font-size: 11px;
  fill: var(--ink2);
}
</style>
