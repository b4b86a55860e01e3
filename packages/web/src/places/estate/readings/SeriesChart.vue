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
import { computed, ref, watch } from 'vue'
import { Line } from 'vue-chartjs'
import type { SeriesMarks, SeriesView } from '#contract'
import { day, metrics, readingText, type MetricName, type Millis } from '#core'
import type { UsualAtMoment } from '../../../parts/data/usualAt'
import { bandOf, usualBandOf } from './band'
import { marksPlugin } from './marks'

Chart.register(CategoryScale, Filler, Legend, LinearScale, LineElement, PointElement, TimeScale, Tooltip)
Chart.defaults.font.family = "'Source Sans 3 Variable', sans-serif"

/** Series of one unit over one time; a time is chosen by drawing across it. */
const props = defineProps<{
  title: string
  series: readonly SeriesView[]
  labels: readonly string[]
  colours: readonly string[]
  from: Millis
  until: Millis
  /** Of a point. */
  width: Millis
  /** What happened meanwhile. */
  marks?: SeriesMarks | null
  /** What is usual for the first of them. */
  usual?: ((at: Millis) => UsualAtMoment | null) | null
  /** A moment that was chosen. */
  moment?: Millis | null
  isTall?: boolean
}>()
const emit = defineEmits<{ draw: [from: Millis, until: Millis]; pick: [at: Millis] }>()

const css = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim()
const unitOf = (series: SeriesView | undefined) => metrics[(series?.metric ?? 'cpu.busy') as MetricName].unit
const unit = computed(() => unitOf(props.series[0]))
/** What is read in another unit has its scale at the right. */
const other = computed(() => props.series.map(unitOf).find((one) => one !== unit.value) ?? null)
const plugins = [marksPlugin(() => props.marks ?? null, css)]
const data = computed(
  (): ChartData<'line', { x: number; y: number }[]> => ({
    datasets: [
      ...props.series.flatMap((line, i) =>
        bandOf(line, props.labels[i]!, css(props.colours[i % props.colours.length]!), 4 * props.width).map((set) => ({
          ...set,
          yAxisID: unitOf(line) === unit.value ? 'y' : 'other',
        })),
      ),
      ...(props.usual && props.series[0]
        ? usualBandOf(props.series[0], (at) => props.usual!(at + props.width / 2), css('--act'), 4 * props.width).map(
            (set) => ({ ...set, yAxisID: 'y' }),
          )
        : []),
    ],
  }),
)
const options = computed((): ChartOptions<'line'> => {
  const grid = { color: css('--rule2') }
  const ticks = { color: css('--ink2'), maxTicksLimit: props.isTall ? 12 : 6 }
  const isLong = props.until - props.from > 3 * day
  return {
    animation: false,
    maintainAspectRatio: false,
    interaction: { mode: 'index', intersect: false },
    plugins: {
      legend: { display: false },
      tooltip: {
        callbacks: {
          label: (item) =>
            `${item.dataset.label ?? ''}: ${readingText(item.dataset.yAxisID === 'other' ? other.value! : unit.value, item.parsed.y ?? 0)}`,
        },
      },
    },
    scales: {
      x: {
        type: 'time',
        min: props.from,
        max: props.until,
        grid,
        ticks,
        time: {
          ...(isLong && props.until - props.from < 200 * day ? { unit: 'day' as const } : {}),
          displayFormats: { hour: isLong ? 'd LLL HH:mm' : 'HH:mm', minute: 'HH:mm', day: 'd LLL', month: 'LLL yyyy' },
          tooltipFormat: 'ccc d LLL yyyy HH:mm',
        },
      },
      y: {
        beginAtZero: true,
        ...(unit.value === 'ratio' ? { max: 1 } : {}),
        grid,
        ticks: { ...ticks, callback: (value) => readingText(unit.value, Number(value)) },
      },
      ...(other.value
        ? {
            other: {
              position: 'right' as const,
              beginAtZero: true,
              ...(other.value === 'ratio' ? { max: 1 } : {}),
              grid: { drawOnChartArea: false },
              ticks: { ...ticks, callback: (value: string | number) => readingText(other.value!, Number(value)) },
            },
          }
        : {}),
    },
  }
})

const line = ref<{ chart: Chart | null } | null>(null)
const drawing = ref<{ began: number; at: number } | null>(null)
/** Where a pointer is within the chart's own field, from its left edge. */
function within(event: PointerEvent): number | null {
  const chart = line.value?.chart
  if (!chart) return null
  const { left, right } = chart.chartArea
  return Math.min(right, Math.max(left, event.clientX - chart.canvas.getBoundingClientRect().left))
}
function begin(event: PointerEvent) {
  const at = within(event)
  if (at === null || event.button !== 0) return
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  drawing.value = { began: at, at }
}
function go(event: PointerEvent) {
  const at = within(event)
  if (drawing.value && at !== null) drawing.value = { ...drawing.value, at }
}
function end() {
  const scale = line.value?.chart?.scales.x
  const span = drawing.value
  drawing.value = null
  if (!scale || !span) return
  if (Math.abs(span.at - span.began) < 6) {
    emit('pick', Math.round(scale.getValueForPixel(span.at)!))
    return
  }
  emit('draw', scale.getValueForPixel(span.began)!, scale.getValueForPixel(span.at)!)
}
/** What happened is drawn anew when it comes in; readings alone would not cause it. */
watch([() => props.marks, () => props.moment], () => line.value?.chart?.update('none'))
const momentAt = computed(() => {
  const part = ((props.moment ?? 0) - props.from) / (props.until - props.from)
  const area = line.value?.chart?.chartArea
  return props.moment && area && part >= 0 && part <= 1 ? `${area.left + part * (area.right - area.left)}px` : null
})
const mark = computed(() => {
  const span = drawing.value
  if (!span) return null
  return { left: `${Math.min(span.began, span.at)}px`, width: `${Math.abs(span.at - span.began)}px` }
})
</script>

<template>
  <div
    :class="['chart', { tall: isTall }]"
    @pointerdown="begin"
    @pointermove="go"
    @pointerup="end"
    @pointercancel="drawing = null"
  >
    <Line ref="line" :data="data" :options="options" :plugins="plugins" :aria-label="title" />
    <i v-if="momentAt" class="moment" :style="{ left: momentAt }" />
    <i v-if="mark" class="mark" :style="mark" />
  </div>
</template>

<style scoped>
.chart {
  position: relative;
  height: 170px;
  cursor: crosshair;
  touch-action: pan-y;
}
.tall {
  height: 330px;
}
.moment {
  position: absolute;
  top: 0;
  bottom: 22px;
  border-left: 1.5px solid var(--act);
  pointer-events: none;
}
.mark {
  position: absolute;
  top: 0;
  bottom: 22px;
  border: 1px solid var(--act);
  background: color-mix(in srgb, var(--act) 12%, transparent);
  pointer-events: none;
}
</style>
