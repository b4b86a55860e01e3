<script setup lang="ts">
import {
  CategoryScale,
  Chart,
  Filler,
  Legend,
  LinearScale,
  LineElement,
  PointElement,
  TimeScale,
  Tooltip,
  type ChartData,
  type ChartOptions,
} from 'chart.js'
import 'chartjs-adapter-luxon'
import { computed, ref } from 'vue'
import { Line } from 'vue-chartjs'
import type { DevicePage, SeriesPage, SeriesView } from '#contract'
import { hour, metrics, readingText, type MetricName } from '#core'
import { api } from '../../parts/data/api'
import { asOf } from '../../parts/data/asOf'
import { useResource } from '../../parts/data/resource'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { bandOf } from './band'
import ChoiceField from '../../parts/ui/ChoiceField.vue'
import ShortTable from '../../parts/ui/ShortTable.vue'

Chart.register(CategoryScale, Filler, Legend, LinearScale, LineElement, PointElement, TimeScale, Tooltip)
Chart.defaults.font.family = "'Source Sans 3 Variable', sans-serif"
const props = defineProps<{ device: DevicePage }>()
const span = ref(24)
const subjects: { title: string; metrics: MetricName[] }[] = [
  { title: 'CPU busy', metrics: ['cpu.busy'] },
  { title: 'Memory available', metrics: ['memory.available'] },
  { title: 'Disk free', metrics: ['disk.free'] },
  { title: 'Network', metrics: ['net.received', 'net.sent'] },
]
const { data, error, refresh } = useResource(
  () => {
    const until = asOf.value ?? Date.now()
    return api.get<SeriesPage>(
      `/devices/${props.device.id}/series?from=${until - span.value * hour}&until=${until}&metrics=${subjects.flatMap((subject) => subject.metrics).join()}`,
    )
  },
  { topics: ['reports'], deviceId: () => props.device.id, sources: [span] },
)

const css = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim()
const colours = ['--ink', '--act', '--held', '--warning', '--notice']
const text = (metric: string, value: number) => readingText(metrics[metric as MetricName].unit, value)
const charts = computed(() =>
  subjects
    .map((subject) => {
      const series = (data.value?.series ?? []).filter((candidate) => subject.metrics.includes(candidate.metric as MetricName))
      return { ...subject, series, data: chartData(series), options: options(series[0]?.metric ?? 'cpu.busy') }
    })
    .filter((chart) => chart.series.length),
)
const label = (series: SeriesView) => [metrics[series.metric as MetricName].title, series.instance].filter(Boolean).join(' ')
function chartData(series: SeriesView[]): ChartData<'line', { x: number; y: number }[]> {
  return {
    datasets: series.flatMap((line, i) =>
      bandOf(line, label(line), css(colours[i % colours.length]!), 4 * data.value!.width),
    ),
  }
}
function options(metric: string): ChartOptions<'line'> {
  const grid = { color: css('--rule2') }
  const ticks = { color: css('--ink2'), maxTicksLimit: 6 }
  return {
    animation: false,
    maintainAspectRatio: false,
    interaction: { mode: 'index', intersect: false },
    plugins: {
      legend: { display: false },
      tooltip: { callbacks: { label: (item) => `${item.dataset.label ?? ''}: ${text(metric, item.parsed.y ?? 0)}` } },
    },
    scales: {
      x: {
        type: 'time',
        min: data.value?.from,
        max: data.value?.until,
        grid,
        ticks,
        time: { displayFormats: { hour: 'HH:mm', minute: 'HH:mm', day: 'd LLL' }, tooltipFormat: 'ccc d LLL HH:mm' },
      },
      y: {
        beginAtZero: true,
        ...(metric === 'cpu.busy' ? { max: 1 } : {}),
        grid,
        ticks: { ...ticks, callback: (value) => text(metric, Number(value)) },
      },
    },
  }
}
const sums = ['min', 'mean', 'p95', 'max'] as const
const columns = [
  { key: 'series', title: 'Series' },
  { key: 'min', title: 'least', align: 'right' },
  { key: 'mean', title: 'mean', align: 'right' },
  { key: 'p95', title: '95 % below', align: 'right' },
  { key: 'max', title: 'most', align: 'right' },
] as const
</script>

<template>
  <p class="sentence">The last
    <ChoiceField v-model="span" label="Span">
      <option :value="2">2 hours</option>
      <option :value="6">6 hours</option>
      <option :value="24">24 hours</option>
      <option :value="48">2 days</option>
      <option :value="336">2 weeks</option>
    </ChoiceField></p>
  <StateNotice
    :error="error"
    :loading="!data"
    :empty="data && !charts.length ? 'No readings in this time.' : ''"
    @again="refresh"
  />
  <div class="charts">
    <section v-for="chart in charts" :key="chart.title">
      <h2>{{ chart.title }}</h2>
      <div class="chart"><Line :data="chart.data" :options="chart.options" :aria-label="chart.title" /></div>
      <ShortTable :label="`${chart.title}, in numbers`" :rows="chart.series" :columns="columns" :row-key="label">
        <template #series="{ row: series }"><i :style="{ background: `var(${colours[chart.series.indexOf(series) % colours.length]})` }" /> {{ label(series) }}</template>
        <template v-for="key in sums" :key="key" #[key]="{ row: series }">{{ series.summary ? text(series.metric, series.summary[key]) : '' }}</template>
      </ShortTable>
    </section>
  </div>
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
.chart {
  height: 170px;
}
.sentence {
  margin: 8px 0;
}
i {
  display: inline-block;
  width: 10px;
  height: 3px;
  vertical-align: middle;
}
</style>
