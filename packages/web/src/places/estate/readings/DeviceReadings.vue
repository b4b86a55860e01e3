<script setup lang="ts">
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { DevicePage, SeriesPage, SeriesView } from '#contract'
import { metrics, readingText, type MetricName } from '#core'
import { api } from '../../../parts/data/api'
import { asOf } from '../../../parts/data/asOf'
import { useResource } from '../../../parts/data/resource'
import { fullText } from '../../../parts/format/time'
import { useKeys } from '../../../parts/shell/keys'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import SeriesChart from './SeriesChart.vue'
import { boundsOf, drawn, moved, queryOf, shownOf, usualSpans, zoomed, type Shown } from './span'

const props = defineProps<{ device: DevicePage }>()
const route = useRoute()
const router = useRouter()
const subjects: { title: string; metrics: MetricName[] }[] = [
  { title: 'CPU busy', metrics: ['cpu.busy'] },
  { title: 'Memory available', metrics: ['memory.available'] },
  { title: 'Disk free', metrics: ['disk.free'] },
  { title: 'Network', metrics: ['net.received', 'net.sent'] },
  { title: 'Load', metrics: ['load.5'] },
  { title: 'Paging', metrics: ['paging.in', 'paging.out'] },
]
const now = () => asOf.value ?? Date.now()
/** It stands in the address: Back leads to what was shown before, and a colleague who is sent it sees the same. */
const shown = computed(() => shownOf(route.query))
function show(next: Shown) {
  const query = Object.fromEntries(
    Object.entries({ ...route.query, ...queryOf(next) }).filter(([, value]) => value !== null),
  )
  void router.push({ query, hash: route.hash })
}
const last = computed({
  get: () => ('last' in shown.value ? shown.value.last : 0),
  set: (value: number) => show({ last: value }),
})
const points = 600
const { data, error, refresh } = useResource(
  () => {
    const { from, until } = boundsOf(shown.value, now())
    const names = subjects.flatMap((subject) => subject.metrics).join()
    return api.get<SeriesPage>(
      `/devices/${props.device.id}/series?from=${from}&until=${until}&points=${points}&metrics=${names}`,
    )
  },
  { topics: ['reports'], deviceId: () => props.device.id, sources: [shown] },
)
function draw(a: number, b: number) {
  const next = drawn(a, b)
  if (next) show(next)
}
useKeys('Readings', [
  { key: '+', does: 'nearer: half of the time that is shown', run: () => show(zoomed(shown.value, 0.5, now())) },
  { key: '-', does: 'farther: twice the time', run: () => show(zoomed(shown.value, 2, now())) },
  { key: ',', does: 'earlier', run: () => show(moved(shown.value, -1, now())) },
  { key: '.', does: 'later', run: () => show(moved(shown.value, 1, now())) },
  { key: 'Escape', does: 'back to the last 24 hours', run: () => show(shownOf({})) },
])

const colours = ['--ink', '--act', '--held', '--warning', '--notice']
const text = (metric: string, value: number) => readingText(metrics[metric as MetricName].unit, value)
const label = (series: SeriesView) => [metrics[series.metric as MetricName].title, series.instance].filter(Boolean).join(' ')
const charts = computed(() =>
  subjects
    .map((subject) => ({
      ...subject,
      series: (data.value?.series ?? []).filter(({ metric }) => subject.metrics.includes(metric as MetricName)),
    }))
    .filter((chart) => chart.series.length),
)
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
  return `${key === 'p95' && summary!.p95Error > 0 ? '≈ ' : ''}${text(metric, value)}`
}
</script>

<template>
  <p class="sentence">
    <template v-if="'last' in shown">The last</template>
    <template v-else>{{ fullText(shown.from) }} to {{ fullText(shown.until) }}, or the last</template>{{ ' ' }}
    <ChoiceField v-model="last" label="Span">
      <option v-if="last === 0" :value="0" disabled>…</option>
      <option v-for="span in usualSpans" :key="span.name" :value="span.last">{{ span.title }}</option>
    </ChoiceField>
    <span class="muted hint">Draw across a chart to look nearer; <kbd>+</kbd> <kbd>-</kbd> nearer, farther; <kbd>,</kbd> <kbd>.</kbd> earlier, later.</span></p>
  <StateNotice
    :error="error"
    :loading="!data"
    :empty="data && !charts.length ? 'No readings in this time.' : ''"
    @again="refresh"
  />
  <div v-if="data" class="charts">
    <section v-for="chart in charts" :key="chart.title">
      <h2>{{ chart.title }}</h2>
      <SeriesChart
        :title="chart.title"
        :series="chart.series"
        :labels="chart.series.map(label)"
        :colours="colours"
        :from="data.from"
        :until="data.until"
        :width="data.width"
        @draw="draw"
      />
      <ShortTable :label="`${chart.title}, in numbers`" :rows="chart.series" :columns="columns" :row-key="label">
        <template #series="{ row: series }"><i :style="{ background: `var(${colours[chart.series.indexOf(series) % colours.length]})` }" /> {{ label(series) }}</template>
        <template v-for="key in figures" :key="key" #[key]="{ row: series }">{{ figure(series, key) }}</template>
      </ShortTable>
    </section>
  </div>
  <p v-if="data?.series.some(({ summary }) => summary?.p95Error)" class="muted">≈ From what became of each day: within one part in a hundred.</p>
</template>

<style scoped>
.charts {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 18px 40px;
}
@media (max-width: 900px) {
  .charts {
    grid-template-columns: minmax(0, 1fr);
  }
}
.sentence {
  margin: 8px 0;
}
.hint {
  margin-left: 18px;
  font: 13px var(--sans);
}
i {
  display: inline-block;
  width: 10px;
  height: 3px;
  vertical-align: middle;
}
</style>
