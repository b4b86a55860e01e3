<script setup lang="ts">
import { scaleLinear, scaleTime } from 'd3-scale'
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { SeriesView } from '#contract'
import { metrics, readingText, type LevelLine, type MetricName, type Millis, type Severity } from '#core'
import { fullText } from '../format/time'

/** One series as a small line, with the moment at which it began to fail, and where its levels lay. */
const props = defineProps<{
  series: SeriesView
  from: Millis
  until: Millis
  mark?: Millis
  severity?: Severity
  lines?: readonly LevelLine[]
  /** Between which values it is as usual at a moment; null: nothing is known of it. */
  usual?: ((at: Millis) => { low: number; high: number } | null) | null
}>()
const box = ref<HTMLElement | null>(null)
const { width } = useElementSize(box)
const height = 92
const unit = computed(() => metrics[props.series.metric as MetricName].unit)
const text = (value: number) => readingText(unit.value, value)
const x = computed(() => scaleTime([props.from, props.until], [0, width.value]))
const usually = computed(() =>
  props.series.points.flatMap(({ at }) => {
    const band = props.usual?.(at)
    return band ? [{ at, ...band }] : []
  }),
)
const top = computed(() => Math.max(...props.series.points.map((point) => point.max), ...usually.value.map(({ high }) => high), unit.value === 'ratio' ? 1 : 0))
const y = computed(() => scaleLinear([0, top.value || 1], [height - 16, 18]))
/** Of levels only those within what was read: others would press it flat. Of what a share is is not known here. */
const levels = computed(() => (props.lines ?? []).filter(({ value, shareOf }) => !shareOf && value >= 0 && value <= (top.value || 1)))
/** Those too near to each other to be written apart are written in one. */
const levelNames = computed(() => {
  const names: { at: number; text: string }[] = []
  for (const { severity, value } of levels.value.toSorted((a, b) => a.value - b.value)) {
    const last = names.at(-1)
    const name = `${severity} ${text(value)}`
    if (last && last.at - y.value(value) < 11) last.text += ` · ${name}`
    else names.push({ at: y.value(value), text: name })
  }
  return names
})
const path = computed(() =>
  props.series.points
    .map((point, i, all) => {
      const gap = i === 0 || point.at - all[i - 1]!.at > 4 * Math.max(60_000, (props.until - props.from) / 400)
      return `${gap ? 'M' : 'L'}${x.value(point.at).toFixed(1)} ${y.value(point.mean).toFixed(1)}`
    })
    .join(''),
)
function bandOf(edges: readonly { at: Millis; low: number; high: number }[]): string {
  const spot = (at: Millis, value: number) => `${x.value(at).toFixed(1)} ${y.value(value).toFixed(1)}`
  const up = edges.map(({ at, high }) => spot(at, high))
  const down = edges.map(({ at, low }) => spot(at, low)).reverse()
  return up.length ? `M${[...up, ...down].join('L')}Z` : ''
}
/** From the least to the greatest of each span: a peak stays a peak however long the time is. */
const band = computed(() => bandOf(props.series.points.map(({ at, min, max }) => ({ at, low: min, high: max }))))
</script>

<template>
  <div ref="box">
    <svg :width="width" :height="height" role="img" :aria-label="`${series.metric} ${series.instance}`">
      <path :d="`M0 ${height - 16}H${width}`" stroke="var(--rule)" />
      <path v-if="usually.length" class="usual" :d="bandOf(usually)" fill="var(--act)" fill-opacity="0.16" />
      <path
        :d="band"
        fill="var(--ink)"
        fill-opacity="0.14"
        stroke="var(--ink)"
        stroke-opacity="0.35"
        stroke-width="0.5"
      />
      <path :d="path" fill="none" stroke="var(--ink)" stroke-width="1.4" />
      <path
        v-for="line in levels"
        :key="line.severity"
        :d="`M0 ${y(line.value)}H${width}`"
        :stroke="`var(--${line.severity})`"
        stroke-opacity="0.7"
      />
      <text v-for="name in levelNames" :key="name.text" :x="width" :y="Math.max(10, name.at - 5)" text-anchor="end">{{ name.text }}</text>
      <template v-if="mark">
        <path :d="`M${x(mark)} 4V${height - 16}`" :stroke="`var(--${severity ?? 'ink2'})`" stroke-dasharray="3 2" />
        <text :x="Math.min(width - 40, x(mark) + 4)" y="12">began</text>
      </template>
      <text x="0" y="12">{{ text(top) }}</text>
      <text x="0" :y="height - 3">{{ fullText(from) }}</text>
      <text :x="width" :y="height - 3" text-anchor="end">{{ fullText(until) }}</text>
    </svg>
  </div>
</template>

<style scoped>
text {
  font: 11px var(--sans);
  fill: var(--ink2);
}
</style>
