<script setup lang="ts">
import { computed } from 'vue'
import type { DevicePage, RhythmHours, RhythmPage, SeriesThen } from '#contract'
import { hoursOfWeek, metrics, type MetricName, type Millis } from '#core'
import { useAddressed } from '../../../parts/data/addressed'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { fullText, zonedText, zoneTitle } from '../../../parts/format/time'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import RhythmGrid from './RhythmGrid.vue'
import { seriesText, seriesTitle } from './subjects'
import { hoursOfText, hoursText, hoursTitle, weeksOf, type Hours } from './week'

/** When in a week a series is how, on the clocks of its site; and what else was so then. */
const props = defineProps<{ device: DevicePage; series: { metric: string; instance: string } }>()
const emit = defineEmits<{ look: [from: Millis, until: Millis] }>()
const weeks = useAddressed('weeks', '4')
const figure = useAddressed('figure', 'median')
const limit = useAddressed('limit')
const inAddress = useAddressed('hours')
const hours = computed({
  get: () => hoursOfText(inAddress.value),
  set: (chosen: Hours | null) => {
    inAddress.value = chosen ? hoursText(chosen) : ''
  },
})
const text = (value: number) => seriesText(props.series.metric, value)
const { data, error, refresh } = useResource(
  () => {
    const query = new URLSearchParams({ ...props.series, weeks: weeks.value })
    if (figure.value === 'beyond' && limit.value) query.set('beyond', limit.value)
    return api.get<RhythmPage>(`/devices/${props.device.id}/rhythm?${query}`)
  },
  { sources: [weeks, figure, limit] },
)
const then = useResource(
  async () => {
    if (!hours.value) return null
    const { first, last } = hours.value
    const query = new URLSearchParams({ ...props.series, weeks: weeks.value, first: String(first), last: String(last) })
    return api.get<RhythmHours>(`/devices/${props.device.id}/rhythm-hours?${query}`)
  },
  { sources: [weeks, inAddress] },
)
/** Values to tell the share beyond of: tenths of what there was. */
const limits = computed(() => {
  const unit = metrics[props.series.metric as MetricName].unit
  const top = unit === 'ratio' ? 1 : Math.max(0, ...(data.value?.cells ?? []).map(({ median, p95 }) => Math.max(median, p95)))
  const steps = [0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9].map((part) => Number((part * top).toPrecision(3)))
  const chosen = Number(limit.value)
  return [...new Set([...steps, ...(chosen ? [chosen] : [])])].sort((a, b) => a - b)
})
function choose(name: string) {
  figure.value = name
}
const isShare = computed(() => figure.value === 'beyond' && data.value?.beyond != null)
const values = computed(() => {
  const found: (number | null)[] = Array<number | null>(hoursOfWeek).fill(null)
  for (const cell of data.value?.cells ?? [])
    found[cell.cell] = isShare.value ? cell.beyond : figure.value === 'p95' ? cell.p95 : cell.median
  return found
})
const highest = (list: readonly (number | null)[]) => Math.max(0, ...list.map((value) => value ?? 0))
const isRatio = computed(() => metrics[props.series.metric as MetricName].unit === 'ratio')
const most = computed(() => (isShare.value || isRatio.value ? 1 : highest(values.value)))
const shownText = (value: number) => (isShare.value ? `${Math.round(100 * value)} % of the time` : text(value))
const byWeek = computed(() => weeksOf(data.value?.moments ?? []))
const mostOfWeeks = computed(() => (isRatio.value ? 1 : Math.max(0, ...byWeek.value.map(({ means }) => highest(means)))))
const zone = computed(() => data.value?.zone ?? props.device.zone)
const monday = (week: number) => new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', timeZone: 'UTC' }).format(week * 86_400_000)
const direction = computed(() => (data.value?.isScarce ? 'less' : 'more'))
const apart = ({ there, elsewhere, times, metric }: SeriesThen) =>
  `${seriesText(metric, there)}, at that time of other days ${seriesText(metric, elsewhere)} (${Math.abs(times) > 99 ? 'over 99' : Math.abs(times).toFixed(0)} times what it usually differs by)`
const momentColumns = [
  { key: 'when', title: 'Each time' },
  { key: 'mean', title: 'mean', align: 'right' },
  { key: 'max', title: 'most', align: 'right' },
  { key: 'min', title: 'least', align: 'right' },
] as const
const seriesColumns = [
  { key: 'name', title: 'What else was unlike other days' },
  { key: 'how', title: 'How', grow: 1 },
] as const
const logColumns = [
  { key: 'source', title: 'What was written then' },
  { key: 'count', title: 'Entries' },
  { key: 'text', title: 'The last one', grow: 1 },
] as const
const others = computed(() =>
  (then.data.value?.series ?? []).filter(
    ({ metric, instance }) => metric !== props.series.metric || instance !== props.series.instance,
  ),
)
</script>

<template>
  <p class="sentence">In the last
    <ChoiceField v-model="weeks" label="Weeks">
      <option value="2">two weeks</option>
      <option value="4">four weeks</option>
      <option value="8">eight weeks</option>
      <option value="13">13 weeks</option>
      <option value="26">half a year</option>
    </ChoiceField>, hour by hour on the clocks of {{ device.siteName }}:
    <ChoiceField :model-value="figure" label="Figure" @update:model-value="choose">
      <option value="median">what is usual (the median)</option>
      <option value="p95">{{ data?.isScarce ? 'what 95 % lie above' : 'what 95 % lie below' }}</option>
      <option value="beyond">how much of the time it is {{ data?.isScarce ? 'below' : 'above' }}</option>
    </ChoiceField>
    <ChoiceField v-if="figure === 'beyond'" v-model="limit" label="Limit">
      <option value="" disabled>choose a value</option>
      <option v-for="value in limits" :key="value" :value="String(value)">{{ text(value) }}</option>
    </ChoiceField></p>
  <StateNotice
    :error="error"
    :loading="!data"
    :empty="data && !data.cells.length ? 'No readings in these weeks.' : ''"
    @again="refresh"
  />
  <template v-if="data?.cells.length">
    <p v-for="one in data.standingOut.slice(0, 3)" :key="one.from" class="finding">
      <button class="link" @click="hours = { first: one.from, last: one.until }">{{ hoursTitle({ first: one.from, last: one.until }) }}</button>
      it is usually {{ data.isScarce ? 'down' : 'up' }} to {{ text(one.median) }}; on no other day {{ direction }} than {{ text(one.elsewhere) }} at that hour.</p>
    <p v-if="!data.standingOut.length" class="muted finding">{{ byWeek.length < 2 ? 'With one week alone nothing can be said of what comes again.' : 'No hour of the week is unlike the same hour of all other days.' }}</p>
    <RhythmGrid v-model:chosen="hours" :label="`${seriesTitle(series)} by hour of the week`" :values="values" :most="most" :text="shownText" />
    <section v-if="hours" class="then" aria-label="What was so then">
      <h2>{{ hoursTitle(hours) }}</h2>
      <StateNotice :error="then.error.value" :loading="!then.data.value" @again="then.refresh" />
      <template v-if="then.data.value">
        <div class="two">
          <ShortTable v-if="then.data.value.moments.length" label="Each time" :rows="then.data.value.moments" :columns="momentColumns" :row-key="(row) => String(row.from)">
            <template #when="{ row }"><button v-if="row.from" class="link" :title="fullText(row.from)" @click="emit('look', row.from - (row.until - row.from), row.until + (row.until - row.from))">{{ zonedText(row.from, zone) }}</button></template>
            <template #mean="{ row }">{{ row.from ? text(row.mean) : '' }}</template>
            <template #max="{ row }">{{ row.from ? text(row.max) : '' }}</template>
            <template #min="{ row }">{{ row.from ? text(row.min) : '' }}</template>
          </ShortTable>
          <p v-else class="muted">Nothing was read in these hours.</p>
          <div>
            <ShortTable v-if="others.length" label="What else was unlike other days" :rows="others" :columns="seriesColumns" :row-key="(row) => `${row.metric} ${row.instance}`">
              <template #name="{ row }">{{ row.metric ? seriesTitle(row) : '' }}</template>
              <template #how="{ row }">{{ row.metric ? apart(row) : '' }}</template>
            </ShortTable>
            <p v-else class="muted">No other series is unlike other days then.</p>
            <ShortTable v-if="then.data.value.log.length" label="What was written then" :rows="then.data.value.log" :columns="logColumns" row-key="source">
              <template #source="{ row }"><span class="mono">{{ row.source }}</span></template>
              <template #count="{ row }">{{ row.source ? `${row.there} of ${row.total} in all, ${row.moments} times` : '' }}</template>
              <template #text="{ row }">{{ row.text }}</template>
            </ShortTable>
            <p v-else class="muted">Nothing in the log is written mostly then.</p>
            <p v-if="then.data.value.windows.length">In a window:
              <template v-for="(window, i) in then.data.value.windows.slice(0, 8)" :key="`${window.id} ${window.from}`">{{ i ? ', ' : '' }}<RouterLink :to="`/maintenance/${window.id}`">{{ window.name }}</RouterLink> {{ zonedText(window.from, zone) }}</template>.</p>
          </div>
        </div>
      </template>
    </section>
    <p v-else class="muted finding">Choose hours of a day to see each time, what else was so then, and what was written.</p>
    <h2 class="beside">{{ zoneTitle('Week by week', zone) }}</h2>
    <div class="weeks">
      <figure v-for="{ week, means } in byWeek" :key="week">
        <figcaption class="muted">from {{ monday(week) }}</figcaption>
        <RhythmGrid v-model:chosen="hours" :label="`Week from ${monday(week)}`" :values="means" :most="mostOfWeeks" :text="text" is-small />
      </figure>
    </div>
  </template>
</template>

<style scoped>
.sentence,
.finding {
  margin: 8px 0;
}
.then {
  margin: 14px 0;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 2fr) minmax(0, 3fr);
  gap: 12px 40px;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
.beside {
  margin: 16px 0 6px;
}
.weeks {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(260px, 1fr));
  gap: 12px 24px;
}
figure {
  margin: 0;
}
</style>
