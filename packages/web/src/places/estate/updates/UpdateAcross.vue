<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import type { UpdateOnDevice, UpdateOnDevices } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { partQuery, useParts } from '../../../parts/data/parts'
import { useSession } from '../../../parts/data/session'
import AgeText from '../../../parts/ui/AgeText.vue'
import SeverityMark from '../../../parts/ui/SeverityMark.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import EstateParts from '../EstateParts.vue'
import { heldWords, kindText, stepText } from './words'

/** One update, on all devices on which it waits. */
const props = defineProps<{ name: string }>()
const session = useSession()
const route = useRoute()
const clientId = computed(() => session.clientId)
const { data, error, refresh, more } = useParts<UpdateOnDevices>(
  (after) => {
    const query = partQuery(clientId.value, after)
    query.set('name', props.name)
    return api.get(`/updates/devices?${query}`)
  },
  (before, after) => ({ ...after, rows: [...before.rows, ...after.rows] }),
  { sources: [clientId] },
)
const columns = [
  { key: 'device', title: 'Device', grow: 1 },
  { key: 'where', title: 'Client and site', grow: 1 },
  { key: 'step', title: 'Version', grow: 1 },
  { key: 'kind', title: 'Kind' },
  { key: 'origin', title: 'From' },
  { key: 'since', title: 'waiting for', align: 'right', width: 110 },
] as const
const back = computed(() => {
  const { update: _update, ...query } = route.query
  return { path: '/estate/updates', query: { ...query, view: 'names' } }
})
const stepOf = ({ from, to }: UpdateOnDevice) => stepText({ ...(from === null ? {} : { from }), ...(to === null ? {} : { to }) })
</script>

<template>
  <div class="head">
    <h1 class="mono title">{{ name }}</h1>
    <span v-if="data" class="muted">waits on {{ countText(data.total, 'device') }} of {{ session.client?.name ?? 'every client' }}</span>
  </div>
  <EstateParts />
  <p><RouterLink :to="back">All updates</RouterLink></p>
  <StateNotice :error="error" :loading="!data" :empty="data && !data.rows.length ? 'It waits on no device: it was installed everywhere, or something newer has come in its place.' : ''" @again="refresh" />
  <ShortTable v-if="data?.rows.length" label="Devices on which it waits" :rows="data.rows" :columns="columns" :row-key="(row) => String(row.deviceId)">
    <template #device="{ row }"><RouterLink v-if="row.deviceId" class="mono" :to="`/estate/${row.deviceId}`">{{ row.deviceName }}</RouterLink> <span v-if="row.silent" class="muted"><SeverityMark state="silent" /> silent</span></template>
    <template #where="{ row }">{{ row.deviceId ? `${row.clientName} · ${row.siteName}` : '' }}</template>
    <template #step="{ row }"><span v-if="row.deviceId" class="mono">{{ stepOf(row) }}</span></template>
    <template #kind="{ row }"><span v-if="row.deviceId">{{ kindText(row) }}<span v-if="row.held" class="held">, {{ heldWords[row.held as 'asked' | 'kept'] }}</span></span></template>
    <template #origin="{ row }"><span class="muted">{{ row.origin ?? '' }}</span></template>
    <template #since="{ row }"><AgeText v-if="row.since" :at="row.since" /></template>
  </ShortTable>
  <p v-if="data?.next" class="muted note">The first {{ data.rows.length }} of {{ data.total }}. <button class="link" @click="more">Show more</button></p>
</template>

<style scoped>
.title {
  font-size: 20px;
  font-weight: 600;
  overflow-wrap: anywhere;
}
.note {
  margin: 10px 0;
}
</style>
