<script setup lang="ts">
import { computed, ref, toRef, watch } from 'vue'
import type { UpdateRunView, VersionCount, VersionDevice, VersionPage } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { useNewestFirst } from '../../../parts/data/parts'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { fullText } from '../../../parts/format/time'
import UpdateForm from './UpdateForm.vue'
import UpdateRun from './UpdateRun.vue'
import RunList from '../runs/RunList.vue'
import { useChosenRun } from '../runs/useChosenRun'
import { attempt } from '../../../parts/ui/notify'
import ShortTable from '../../../parts/ui/ShortTable.vue'

/** Who runs which version of the agent, and updates of them. */
const session = useSession()
const ofClient = computed(() => (session.clientId === null ? '' : `client=${session.clientId}`))
const { data, error, refresh } = useResource(() => api.get<VersionPage>(`/agent-versions?${ofClient.value}`), {
  topics: ['estate'],
  sources: [toRef(session, 'clientId')],
})
const runs = useNewestFirst<UpdateRunView>((query) => api.get(`/update-runs?${query}`), { topics: ['estate'] })
/** Of agents that cannot be updated from here; read when somebody wants to know which. */
const fixed = ref<VersionDevice[] | null>(null)
async function readFixed(): Promise<void> {
  fixed.value = await attempt(() => api.get<VersionDevice[]>(`/agent-versions/devices?${ofClient.value}`))
}
watch(ofClient, () => {
  fixed.value = null
})
function clientsText({ clients, clientCount }: VersionCount): string {
  const names = clients.map(({ name, devices }) => `${name} ${devices}`).join(', ')
  return clientCount > clients.length ? `${names}, and ${clientCount - clients.length} clients more` : names
}
const known = (version: string) => data.value?.releases.some((release) => release.version === version)
const making = ref(false)
const chosen = useChosenRun(runs.data)
async function started(id: number): Promise<void> {
  making.value = false
  chosen.value = id
  await runs.refresh()
}
const fixedColumns = [
  { key: 'device', title: 'Device' },
  { key: 'client', title: 'Client' },
  { key: 'version', title: 'Version' },
] as const
const versionColumns = [
  { key: 'version', title: 'Version' },
  { key: 'count', title: 'Devices', align: 'right' },
  { key: 'share', hint: 'Share', width: 240 },
  { key: 'clients', title: 'Clients', grow: 1 },
  { key: 'old', hint: 'Offered', align: 'right', tight: true },
] as const
</script>

<template>
  <div>
    <div class="head">
      <h2>Who runs which</h2>
      <span v-if="data" class="muted">this server offers
        {{ data.releases.map((release) => `${release.version} (${release.architectures.join(', ')})`).join(', ') || 'no agent' }}</span>
      <span class="end">
        <button v-if="!making && data?.releases.length" class="btn main" @click="making = true">Update agents</button>
      </span>
    </div>
    <StateNotice
      :error="error"
      :loading="!data"
      :empty="data && !data.total ? 'No device reports here yet.' : ''"
      @again="refresh"
    />
    <ShortTable v-if="data?.total" label="Versions" :rows="data.counts" :columns="versionColumns" row-key="version">
      <template #version="{ row: count }"><span class="mono">{{ count.version || 'not reported yet' }}</span></template>
      <template #count="{ row: count }"><b>{{ count.total }}</b></template>
      <template #share="{ row: count }"><span class="share"><i :style="{ width: `${(100 * count.total) / data!.total}%` }" /></span></template>
      <template #clients="{ row: count }"><span class="muted">{{ clientsText(count) }}</span></template>
      <template #old="{ row: count }"><span class="faint">{{ known(count.version) || !count.version ? '' : 'no longer offered' }}</span></template>
    </ShortTable>
    <template v-if="data?.fixed">
      <p class="fixed">{{ countText(data.fixed, 'agent') }} cannot be updated from here: they were not started by the agent’s
        starter, so nothing would go back if an update failed, or they run on a system that this server has no program
        for. The command under “By hand” installs with the starter. <button v-if="!fixed" class="link" @click="readFixed">Show which</button></p>
      <ShortTable v-if="fixed" label="Not updated from here" :rows="fixed" :columns="fixedColumns" row-key="id">
        <template #device="{ row: device }"><RouterLink class="mono" :to="`/estate/${device.id}`">{{ device.name }}</RouterLink></template>
        <template #client="{ row: device }">{{ device.clientName }}</template>
        <template #version="{ row: device }"><span class="mono">{{ device.version }}</span></template>
      </ShortTable>
    </template>
    <UpdateForm
      v-if="making && data"
      :releases="data.releases"
      @started="started"
      @close="making = false"
    />
    <RunList v-if="runs.data.value?.length" v-model="chosen" label="Updates" :runs="runs.data.value" :has-more="runs.hasMore.value" @more="runs.more">
      <template #what="{ run }">
        <button class="link" :aria-pressed="chosen === run.id" @click="chosen = run.id">to {{ run.version }}</button>
        <small>{{ fullText(run.createdAt) }}, {{ run.createdBy }}</small>
        <small>{{ run.state === 'running' ? `wave ${run.wave} of ${run.waves}` : run.state }}</small>
      </template>
      <template #count="{ run }"><b>{{ run.updated }}</b> of {{ run.total }}<small v-if="run.failed" class="critical">{{ run.failed }} went back or failed</small></template>
      <UpdateRun v-if="chosen" :id="chosen" :key="chosen" />
    </RunList>
  </div>
</template>

<style scoped>
.head {
  margin-top: 12px;
}
.share i {
  display: block;
  height: 6px;
  background: var(--bar);
  min-width: 2px;
}
.fixed {
  margin-top: 8px;
}
</style>
