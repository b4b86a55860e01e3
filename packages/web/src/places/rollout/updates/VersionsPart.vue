<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { UpdateRunView, VersionPage } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { fullText } from '../../../parts/format/time'
import UpdateForm from './UpdateForm.vue'
import UpdateRun from './UpdateRun.vue'
import RunList from '../runs/RunList.vue'
import { versionCounts } from './versionCounts'
import ShortTable from '../../../parts/ui/ShortTable.vue'

/** Who runs which version of the agent, and updates of them. */
const session = useSession()
const { data, error, refresh } = useResource(() => api.get<VersionPage>('/agent-versions'), {
  topics: ['estate', 'reports'],
})
const runs = useResource(() => api.get<UpdateRunView[]>('/update-runs'), { topics: ['estate'] })
const devices = computed(() => (data.value?.devices ?? []).filter((device) => session.inView(device.clientId)))
const counts = computed(() => versionCounts(devices.value))
const fixed = computed(() => devices.value.filter((device) => !device.updatable))
const known = (version: string) => data.value?.releases.some((release) => release.version === version)
const making = ref(false)
const chosen = ref<number | null>(null)
watch(runs.data, (list) => {
  chosen.value ??= list?.[0]?.id ?? null
})
async function started(id: number): Promise<void> {
  making.value = false
  chosen.value = id
  await runs.refresh()
}
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
      :empty="data && !devices.length ? 'No device reports here yet.' : ''"
      @again="refresh"
    />
    <ShortTable v-if="counts.length" label="Versions" :rows="counts" :columns="versionColumns" row-key="version">
      <template #version="{ row: count }"><span class="mono">{{ count.version || 'not reported yet' }}</span></template>
      <template #count="{ row: count }"><b>{{ count.total }}</b></template>
      <template #share="{ row: count }"><span class="share"><i :style="{ width: `${(100 * count.total) / devices.length}%` }" /></span></template>
      <template #clients="{ row: count }"><span class="muted">{{ count.clients.map((client) => `${client.name} ${client.devices}`).join(', ') }}</span></template>
      <template #old="{ row: count }"><span class="faint">{{ known(count.version) || !count.version ? '' : 'no longer offered' }}</span></template>
    </ShortTable>
    <details v-if="fixed.length" class="fixed">
      <summary>{{ countText(fixed.length, 'agent') }} cannot be updated from here</summary>
      <p class="muted">They were not started by the agent’s starter, so nothing would go back if an update failed, or
        they run on a system that this server has no program for. The command under “By hand” installs with the starter.</p>
      <p>
        <RouterLink
          v-for="device in fixed.slice(0, 100)"
          :key="device.id"
          class="mono name"
          :to="`/estate/${device.id}`"
        >{{ device.name }}</RouterLink>
      </p>
    </details>
    <UpdateForm
      v-if="making && data"
      :releases="data.releases"
      :devices="devices"
      @started="started"
      @close="making = false"
    />
    <RunList v-if="runs.data.value?.length" v-model="chosen" label="Updates" :runs="runs.data.value">
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
summary {
  cursor: pointer;
  color: var(--act);
}
.name {
  margin-right: 12px;
}
</style>
