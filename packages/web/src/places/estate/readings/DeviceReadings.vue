<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import type { DevicePage, SeriesPage, SeriesView } from '#contract'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import AwayNotice from '../../../parts/ui/AwayNotice.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import SeriesChart from './SeriesChart.vue'
import { useShown } from './shownInAddress'
import { boundsOf } from './span'
import SeriesTable from './SeriesTable.vue'
import SpanSentence from './SpanSentence.vue'
import { chartsOf, nameInAddress, seriesColours, seriesTitle, subjects } from './subjects'

/** All that is read of a device, by subject. Each series opens. */
const props = defineProps<{ device: DevicePage }>()
const route = useRoute()
const { shown, last, draw, now } = useShown()
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
const linkTo = (series: SeriesView) => ({ query: { ...route.query, open: nameInAddress(series) }, hash: route.hash })
const charts = computed(() => chartsOf(data.value?.series ?? []))
</script>

<template>
  <p class="line"><SpanSentence v-model:last="last" :shown="shown" /></p>
  <AwayNotice :away="data?.away" />
  <StateNotice
    :error="error"
    :loading="!data"
    :empty="data && !charts.length ? 'No readings in this time.' : ''"
    @again="refresh"
  />
  <div v-if="data" class="charts">
    <section v-for="chart in charts" :key="chart.title">
      <h2><RouterLink :to="linkTo(chart.series[0]!)">{{ chart.title }}</RouterLink></h2>
      <SeriesChart
        :title="chart.title"
        :series="chart.series"
        :labels="chart.series.map(seriesTitle)"
        :colours="seriesColours"
        :from="data.from"
        :until="data.until"
        :width="data.width"
        @draw="draw"
      />
      <SeriesTable :label="`${chart.title}, in numbers`" :series="chart.series" :titles="chart.series.map(seriesTitle)" :link-to="linkTo" />
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
.line {
  margin: 8px 0;
}
</style>
