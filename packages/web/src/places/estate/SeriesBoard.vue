<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { refDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import type { EstateSeries, EstateSeriesRow } from '#contract'
import { countText, gigabyte, hour, isMetric, metrics, parseReading, readingText, second, type MetricName, type Unit } from '#core'
import { useAddressed } from '../../parts/data/addressed'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import { dayText } from '../../parts/format/time'
import ChoiceField from '../../parts/ui/ChoiceField.vue'
import MeanLine from '../../parts/ui/MeanLine.vue'
import ShortTable from '../../parts/ui/ShortTable.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import EstateParts from './EstateParts.vue'
import { nameInAddress, seriesText, subjects } from './readings/subjects'

/** One series of all devices beside each other, the worst first: in numbers, or as pictures on one scale. */
const session = useSession()
const metric = useAddressed('metric', 'cpu.busy')
const days = useAddressed('days', '7')
const order = useAddressed('order', 'p95')
const kind = useAddressed('kind')
const view = useAddressed('as', 'table')
const limit = useAddressed('limit', '100')
const beyond = useAddressed('beyond')
const words = ref('')
const examples: Record<Unit, number> = {
  ratio: 0.8,
  bytes: 10 * gigabyte,
  'bytes/s': gigabyte / 1000,
  count: 10,
  'per s': 100,
  ms: 50,
  '°C': 80,
  seconds: (48 * hour) / second,
  'per core': 1.5,
}
const asked = refDebounced(words, 250)
const unit = computed(() => (isMetric(metric.value) ? metrics[metric.value].unit : 'count'))
const leastBad = computed(() => parseReading(unit.value, beyond.value))
const example = computed(() => readingText(unit.value, examples[unit.value]))
const typed = ref(beyond.value)
watch(beyond, (value) => (typed.value = value))
const isUnread = computed(() => beyond.value !== '' && leastBad.value === null)
const clientId = computed(() => session.clientId)
const { data, error, refresh } = useResource(
  () => {
    const query = new URLSearchParams({ metric: metric.value, days: days.value, order: order.value, limit: limit.value })
    if (clientId.value !== null) query.set('client', String(clientId.value))
    if (kind.value) query.set('kind', kind.value)
    if (asked.value.trim()) query.set('words', asked.value.trim())
    if (leastBad.value !== null) query.set('beyond', String(leastBad.value))
    return api.get<EstateSeries>(`/estate/series?${query}`)
  },
  { sources: [metric, days, order, kind, limit, leastBad, asked, clientId] },
)
watch(metric, () => {
  // Half a CPU is no size of a disk.
  beyond.value = ''
})
const choices = subjects.flatMap((subject) => subject.metrics).map((name) => ({ value: name, text: metrics[name].title }))
const most = computed(() => {
  const unit = metrics[metric.value as MetricName].unit
  return unit === 'ratio' ? 1 : Math.max(0, ...(data.value?.rows ?? []).flatMap(({ means }) => means.map((mean) => mean ?? 0)))
})
const text = (value: number | null) => (value === null ? '' : seriesText(metric.value, value))
/** How near a percentile is to what it says. */
const nearly = (row: EstateSeriesRow) => (!row.isWorstCase ? '≈' : data.value?.isScarce ? '≥' : '≤')
const keyOf = (row: EstateSeriesRow) => `${row.deviceId} ${row.instance}`
const linkTo = ({ deviceId, instance }: EstateSeriesRow) => ({
  path: `/estate/${deviceId}`,
  query: { open: nameInAddress({ metric: metric.value, instance }), last: Number(days.value) > 2 ? '14d' : '2d' },
  hash: '#readings',
})
const emptyText = computed(() => {
  const named = asked.value.trim() ? ` with “${asked.value.trim()}”` : ''
  if (leastBad.value !== null)
    return `No series${named} is at ${readingText(unit.value, leastBad.value)} or ${data.value?.isScarce ? 'less' : 'more'} in these days.`
  if (named) return `No device, client, site or disk${named} has this series in these days.`
  return 'Nothing is summed up of these days yet: a day is when it is over, in UTC.'
})
const columns = computed(() => [
  { key: 'device', title: 'Device' },
  { key: 'where', title: 'Client and site' },
  { key: 'line', title: 'Means' },
  { key: 'last', title: 'last', align: 'right' as const },
  { key: 'mean', title: 'mean', align: 'right' as const },
  { key: 'p95', title: data.value?.isScarce ? '95 % above' : '95 % below', align: 'right' as const },
  { key: 'worst', title: data.value?.isScarce ? 'least' : 'most', align: 'right' as const },
])
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Estate</h1>
      <span v-if="data" class="muted">{{ data.isTotalMost ? 'at most ' : '' }}{{ countText(data.total, 'series', 'series') }}</span>
    </div>
    <EstateParts />
    <div class="sentence">
      <ChoiceField v-model="metric" label="Series" :choices="choices" />
      <span>of <b>{{ session.client?.name ?? 'every client' }}</b>,</span>
      <ChoiceField v-model="kind" label="Kind">
        <option value="">all devices</option>
        <option value="server">servers</option>
        <option value="workstation">workstations</option>
      </ChoiceField>
      <span>over</span>
      <ChoiceField v-model="days" label="Days">
        <option value="1">yesterday</option>
        <option value="7">the last 7 whole days</option>
        <option value="14">the last 14 whole days</option>
        <option value="30">the last 30 whole days</option>
        <option value="90">the last 90 whole days</option>
      </ChoiceField>
      <span>worst by</span>
      <ChoiceField v-model="order" label="Order">
        <option value="last">the last reading</option>
        <option value="mean">the mean</option>
        <option value="p95">{{ data?.isScarce ? 'what 95 % lie above' : 'what 95 % lie below' }}</option>
      </ChoiceField>
      <span>and only</span>
      <ElInput
        v-model="typed"
        class="beyond"
        :aria-label="`Only from what on, such as ${example}`"
        :aria-invalid="isUnread"
        :placeholder="`any, or ${example}`"
        clearable
        @change="beyond = typed.trim()"
        @clear="beyond = ''"
      />
      <span>{{ data?.isScarce ? 'or less' : 'or more' }},</span>
      <ChoiceField v-model="view" label="Shown">
        <option value="table">as a list</option>
        <option value="pictures">as pictures</option>
      </ChoiceField>
      <ElInput v-model="words" aria-label="Narrow by words" placeholder="narrow by words" clearable class="narrow" />
    </div>
    <p v-if="isUnread" class="critical" role="alert">“{{ beyond }}” cannot be read as a value of this series, so nothing is left out by it: say it like {{ example }}.</p>
    <StateNotice
      :error="error"
      :loading="!data"
      :empty="data && !data.rows.length ? emptyText : ''"
      @again="refresh"
    />
    <p v-if="data?.due" class="muted note">The days of {{ countText(data.due, 'device') }} are still being summed up for this page, and are not here yet.</p>
    <template v-if="data?.rows.length">
      <ShortTable v-if="view === 'table'" label="Series of all devices" :rows="data.rows" :columns="columns" :row-key="keyOf">
        <template #device="{ row }"><RouterLink v-if="row.deviceId" class="mono" :to="linkTo(row)">{{ row.deviceName }}</RouterLink> <span class="muted">{{ row.instance }}</span></template>
        <template #where="{ row }">{{ row.clientName }} · {{ row.siteName }}</template>
        <template #line="{ row }"><MeanLine v-if="row.means" :label="`Means of ${row.deviceName}`" :means="row.means" :most="most" /></template>
        <template #last="{ row }">{{ row.deviceId ? text(row.last) : '' }}</template>
        <template #mean="{ row }">{{ row.deviceId ? text(row.mean) : '' }}</template>
        <template #p95="{ row }">{{ row.deviceId ? `${nearly(row)} ${text(row.p95)}` : '' }}</template>
        <template #worst="{ row }">{{ row.deviceId ? text(data.isScarce ? row.min : row.max) : '' }}</template>
      </ShortTable>
      <div v-else class="pictures">
        <RouterLink v-for="row in data.rows" :key="keyOf(row)" :to="linkTo(row)">
          <span class="mono">{{ row.deviceName }}</span> <span class="muted">{{ row.instance }}</span>
          <span class="value">{{ text(row[order as 'last' | 'mean' | 'p95']) }}</span>
          <MeanLine :label="`Means of ${row.deviceName}`" :means="row.means" :most="most" :width="280" :height="64" />
        </RouterLink>
      </div>
      <p class="muted note">{{ dayText(data.from) }} to {{ dayText(data.until - 1) }}, in UTC<template v-if="view === 'pictures'">; all from nothing to {{ text(most) }}</template>. ≈ Within one part in a hundred.<template v-if="data.rows.some((row) => row.isWorstCase)"> {{ data.isScarce ? '≥ At least' : '≤ At most' }}: its days are kept without what a percentile is made of.</template>
        <template v-if="data.total > data.rows.length">The worst {{ data.rows.length }} of {{ data.isTotalMost ? 'at most ' : '' }}{{ data.total }}.
          <button v-if="limit !== '500'" class="link" @click="limit = '500'">Show 500</button></template></p>
    </template>
  </div>
</template>

<style scoped>
.sentence {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 7px;
  align-items: center;
  margin: 8px 0;
}
.narrow {
  width: 180px;
  margin-left: auto;
}
.beyond {
  width: 150px;
}
.pictures {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(280px, 1fr));
  gap: 16px 24px;
}
.pictures a {
  color: var(--ink);
}
.value {
  float: right;
}
.note {
  margin: 10px 0;
}
</style>
