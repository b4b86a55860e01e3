<script setup lang="ts">
import { computed } from 'vue'
import type { RouteLocationRaw } from 'vue-router'
import type { SeriesView } from '#contract'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import { seriesColours, seriesText } from './subjects'

/** Series of a chart in numbers. */
const props = defineProps<{
  label: string
  series: readonly SeriesView[]
  titles: readonly string[]
  linkTo?: (series: SeriesView) => RouteLocationRaw
}>()
const columns = [
  { key: 'series', title: 'Series' },
  { key: 'min', title: 'least', align: 'right' },
  { key: 'mean', title: 'mean', align: 'right' },
  { key: 'p95', title: '95 % below', align: 'right' },
  { key: 'max', title: 'most', align: 'right' },
  { key: 'last', title: 'last', align: 'right' },
] as const
const figures = ['min', 'mean', 'p95', 'max', 'last'] as const
function figure({ metric, summary }: SeriesView, key: (typeof figures)[number]) {
  const value = summary?.[key] ?? null
  if (value === null) return ''
  return `${key === 'p95' && summary!.p95Error > 0 ? '≈ ' : ''}${seriesText(metric, value)}`
}
const rows = computed(() =>
  props.series.map((series, i) => ({
    series,
    title: props.titles[i]!,
    colour: seriesColours[i % seriesColours.length]!,
  })),
)
</script>

<template>
  <ShortTable :label="label" :rows="rows" :columns="columns" row-key="title">
    <template #series="{ row }"><i :style="{ background: `var(${row.colour})` }" /> <RouterLink v-if="linkTo && row.series" :to="linkTo(row.series)">{{ row.title }}</RouterLink><template v-else>{{ row.title }}</template></template>
    <template v-for="key in figures" :key="key" #[key]="{ row }">{{ row.series ? figure(row.series, key) : '' }}</template>
  </ShortTable>
</template>

<style scoped>
i {
  display: inline-block;
  width: 10px;
  height: 3px;
  vertical-align: middle;
}
</style>
