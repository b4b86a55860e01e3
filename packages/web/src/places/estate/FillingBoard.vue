<script setup lang="ts">
import { computed } from 'vue'
import type { FillingDisk, FillingDisks } from '#contract'
import { bytesText, countText, day, durationText, lengthBetweenText, percentText } from '#core'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import { dayText, now } from '../../parts/format/time'
import ShortTable from '../../parts/ui/ShortTable.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import EstateParts from './EstateParts.vue'
import { nameInAddress } from './readings/subjects'

/** Disks that fill at their pace of the last weeks, the soonest first. */
const session = useSession()
const clientId = computed(() => session.clientId)
const { data, error, refresh } = useResource(
  () => api.get<FillingDisks>(`/estate/filling?limit=200${clientId.value === null ? '' : `&client=${clientId.value}`}`),
  { sources: [clientId] },
)
const columns = [
  { key: 'device', title: 'Device' },
  { key: 'disk', title: 'Disk' },
  { key: 'where', title: 'Client and site' },
  { key: 'free', title: 'free', align: 'right' },
  { key: 'pace', title: 'less each day', align: 'right' },
  { key: 'full', title: 'full', align: 'right' },
  { key: 'around', title: 'around', align: 'right' },
] as const
const linkTo = ({ deviceId, instance }: FillingDisk) => ({
  path: `/estate/${deviceId}`,
  query: { open: nameInAddress({ metric: 'disk.free', instance }), last: '30d' },
  hash: '#readings',
})
const freeOf = ({ free, size }: FillingDisk) => `${bytesText(free)}${size ? ` (${percentText(free / size)})` : ''}`
const within = ({ soonestAt, latestAt }: FillingDisk) =>
  `in ${lengthBetweenText(Math.max(0, soonestAt - now.value), latestAt === null ? Infinity : Math.max(0, latestAt - now.value))}`
const severityOf = ({ fullAt }: FillingDisk) => ({
  critical: fullAt < now.value + 3 * day,
  warning: fullAt < now.value + 14 * day,
})
const keyOf = (row: FillingDisk) => `${row.deviceId} ${row.instance}`
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Estate</h1>
      <span v-if="data" class="muted">{{ countText(data.total, 'disk') }} of {{ data.looked }}</span>
    </div>
    <EstateParts />
    <StateNotice
      :error="error"
      :loading="!data"
      :empty="data && !data.looked ? 'Nothing is summed up yet: a day is when it is over, in UTC.' : data && !data.rows.length ? `No disk of ${session.client?.name ?? 'any client'} fills within 400 days at its pace of the last three weeks.` : ''"
      @again="refresh"
    />
    <ShortTable v-if="data?.rows.length" label="Disks that fill" :rows="data.rows" :columns="columns" :row-key="keyOf">
      <template #device="{ row }"><RouterLink v-if="row.deviceId" class="mono" :to="linkTo(row)">{{ row.deviceName }}</RouterLink></template>
      <template #disk="{ row }"><span class="mono">{{ row.instance }}</span></template>
      <template #where="{ row }">{{ row.clientName }} · {{ row.siteName }}</template>
      <template #free="{ row }">{{ row.deviceId ? freeOf(row) : '' }}</template>
      <template #pace="{ row }">{{ row.deviceId ? bytesText(-row.perDay) : '' }}</template>
      <template #full="{ row }"><span v-if="row.deviceId" :class="severityOf(row)">{{ within(row) }}</span></template>
      <template #around="{ row }"><template v-if="row.deviceId">{{ dayText(row.fullAt) }}<span v-if="row.clearedEvery !== null" class="muted">, cleared up every {{ durationText(row.clearedEvery) }}</span></template></template>
    </ShortTable>
    <p v-if="data" class="muted note">By what was least free on each of the last 21 whole days, so that what is written at night and deleted again does not count: the median of the slopes between any two of them, with its interval of 90 % (Sen, 1968). What happened once, a clean-up or a large copy, is cut out; a disk that somebody clears up again and again is told of where it would be full before the next time<template v-if="data.unknown">. Of {{ countText(data.unknown, 'disk') }} fewer than four days are known</template><template v-if="data.total > data.rows.length">; the soonest {{ data.rows.length }} of {{ data.total }}</template>.</p>
  </div>
</template>

<style scoped>
.note {
  margin: 10px 0;
  max-width: 860px;
}
</style>
