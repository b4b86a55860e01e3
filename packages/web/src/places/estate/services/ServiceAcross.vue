<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import type { ServiceOnDevices } from '#contract'
import { countText, type ServiceStart, type ServiceState } from '#core'
import { useAddressed } from '../../../parts/data/addressed'
import { api } from '../../../parts/data/api'
import { partQuery, useParts } from '../../../parts/data/parts'
import { useSession } from '../../../parts/data/session'
import AgeText from '../../../parts/ui/AgeText.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import SeverityMark from '../../../parts/ui/SeverityMark.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import EstateParts from '../EstateParts.vue'
import { startWords, stateWords } from './words'

/** One service on all devices that have it, side by side: what differs is counted, and can be narrowed to. */
const props = defineProps<{ name: string }>()
const session = useSession()
const route = useRoute()
const clientId = computed(() => session.clientId)
const start = useAddressed('start')
const state = useAddressed('state')
const account = useAddressed('account')
const { data, error, refresh, more } = useParts<ServiceOnDevices>(
  (after) => {
    const query = partQuery(clientId.value, after)
    query.set('name', props.name)
    if (start.value) query.set('start', start.value)
    if (state.value) query.set('state', state.value)
    if (account.value) query.set('account', account.value)
    return api.get(`/services/devices?${query}`)
  },
  (before, after) => ({ ...after, rows: [...before.rows, ...after.rows] }),
  { sources: [clientId, start, state, account], topics: ['alerts'] },
)
const columns = [
  { key: 'device', title: 'Device', grow: 1 },
  { key: 'where', title: 'Client and site', grow: 1 },
  { key: 'state', title: 'State' },
  { key: 'since', title: 'Since', align: 'right' },
  { key: 'start', title: 'Start' },
  { key: 'account', title: 'Account' },
] as const
const back = computed(() => {
  const { service: _service, start: _start, state: _state, account: _account, ...query } = route.query
  return { path: '/estate/services', query }
})
const narrowed = computed(() => start.value !== '' || state.value !== '' || account.value !== '')
</script>

<template>
  <div class="head">
    <h1 class="mono title">{{ name }}</h1>
    <span v-if="data" class="muted">{{ data.title === name ? '' : data.title }}</span>
    <span v-if="data" class="muted">on {{ countText(data.total, 'device') }} of {{ session.client?.name ?? 'every client' }}</span>
  </div>
  <EstateParts />
  <div class="sentence">
    <RouterLink :to="back">All services</RouterLink>
    <template v-if="data">
      <ChoiceField v-model="state" label="State">
        <option value="">in any state</option>
        <option v-for="{ value, count } in data.states" :key="value" :value="value">{{ stateWords[value as ServiceState] }} ({{ count }})</option>
      </ChoiceField>
      <ChoiceField v-model="start" label="Start">
        <option value="">however it starts</option>
        <option v-for="{ value, count } in data.starts" :key="value" :value="value">{{ startWords[value as ServiceStart] }} ({{ count }})</option>
      </ChoiceField>
      <ChoiceField v-model="account" label="Account">
        <option value="">under any account</option>
        <option v-for="{ value, count } in data.accounts.filter((each) => each.value)" :key="value" :value="value">{{ value }} ({{ count }})</option>
      </ChoiceField>
    </template>
  </div>
  <StateNotice
    :error="error"
    :loading="!data"
    :empty="data && !data.rows.length ? (narrowed ? 'On no device it is like that.' : `No device has a service called ${name}.`) : ''"
    @again="refresh"
  />
  <ShortTable v-if="data?.rows.length" label="Devices that have it" :rows="data.rows" :columns="columns" :row-key="(row) => String(row.deviceId)">
    <template #device="{ row }"><RouterLink v-if="row.deviceId" class="mono" :to="{ path: `/estate/${row.deviceId}`, hash: '#services' }">{{ row.deviceName }}</RouterLink> <span v-if="row.silent" class="muted"><SeverityMark state="silent" /> silent</span></template>
    <template #where="{ row }">{{ row.deviceId ? `${row.clientName} · ${row.siteName}` : '' }}</template>
    <template #state="{ row }"><span v-if="row.deviceId" class="state" :class="{ critical: row.severity, held: !row.severity && row.held, muted: !row.severity && !row.held && row.state !== 'failed' }"><SeverityMark v-if="row.severity || row.held" :state="row.severity ?? 'held'" /> <RouterLink v-if="row.alertId" :to="`/rounds?alert=${row.alertId}`" title="The alert about it">{{ stateWords[row.state as ServiceState] }}</RouterLink><template v-else>{{ stateWords[row.state as ServiceState] }}</template>{{ !row.severity && row.held ? ', held' : '' }}</span></template>
    <template #since="{ row }"><AgeText v-if="row.since" :at="row.since" /></template>
    <template #start="{ row }"><span class="muted">{{ row.deviceId ? startWords[row.start as ServiceStart] : '' }}</span></template>
    <template #account="{ row }"><span class="muted mono">{{ row.account ?? '' }}</span></template>
  </ShortTable>
  <p v-if="data?.next" class="muted note">The first {{ data.rows.length }} of {{ data.total }}. <button class="link" @click="more">Show more</button></p>
</template>

<style scoped>
.title {
  font-size: 20px;
  font-weight: 600;
}
.sentence {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  align-items: center;
  margin: 8px 0;
}
.state {
  white-space: nowrap;
}
.note {
  margin: 10px 0;
}
</style>
