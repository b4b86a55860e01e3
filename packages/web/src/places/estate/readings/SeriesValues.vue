<script setup lang="ts">
import type { ReadingsPart } from '#contract'
import type { Millis } from '#core'
import { api } from '../../../parts/data/api'
import { useParts } from '../../../parts/data/parts'
import { exactText } from '../../../parts/format/time'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { seriesText } from './subjects'

/** Each reading of a series over a time, the newest first, as it was told. */
const props = defineProps<{
  deviceId: number
  series: { metric: string; instance: string }
  bounds: { from: Millis; until: Millis }
}>()
const { from, until } = props.bounds
const { data, error, refresh, more } = useParts<{ readings: ReadingsPart['readings']; next: string | null }>(
  async (before) => {
    const query = new URLSearchParams({ ...props.series, from: String(from), until: before ?? String(until) })
    const part = await api.get<ReadingsPart>(`/devices/${props.deviceId}/readings?${query}`)
    return { readings: part.readings, next: part.next === null ? null : String(part.next) }
  },
  (before, after) => ({ readings: [...before.readings, ...after.readings], next: after.next }),
)
const columns = [
  { key: 'at', title: 'Read at' },
  { key: 'shown', title: 'Value', align: 'right' },
  { key: 'exact', title: 'exactly', align: 'right' },
] as const
</script>

<template>
  <StateNotice
    :error="error"
    :loading="!data"
    :empty="data && !data.readings.length ? 'No single readings are kept of this time.' : ''"
    @again="refresh"
  />
  <div v-if="data?.readings.length" class="values">
    <ShortTable label="Values" :rows="data.readings" :columns="columns" :row-key="(row) => String(row.at)">
      <template #at="{ row }">{{ row.at ? exactText(row.at) : '' }}</template>
      <template #shown="{ row }">{{ row.at ? seriesText(series.metric, row.value) : '' }}</template>
      <template #exact="{ row }"><span class="mono">{{ row.value }}</span></template>
    </ShortTable>
    <p v-if="data.next"><button class="link" @click="more">earlier ones</button></p>
  </div>
</template>

<style scoped>
.values {
  max-width: 620px;
  margin-top: 10px;
}
</style>
