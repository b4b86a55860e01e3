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
import { versionCounts } from './versionCounts'

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
    <table v-if="counts.length" class="board">
      <tbody>
        <tr v-for="count in counts" :key="count.version">
          <td class="mono version">{{ count.version || 'not reported yet' }}</td>
          <td class="num count"><b>{{ count.total }}</b></td>
          <td class="share"><i :style="{ width: `${(100 * count.total) / devices.length}%` }" /></td>
          <td class="muted">{{ count.clients.map((client) => `${client.name} ${client.devices}`).join(', ') }}</td>
          <td class="num faint old">{{ known(count.version) || !count.version ? '' : 'no longer offered' }}</td>
        </tr>
      </tbody>
    </table>
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
    <div v-if="runs.data.value?.length" class="two">
      <table class="board list" aria-label="Updates">
        <tbody>
          <tr v-for="run in runs.data.value" :key="run.id" :class="{ on: chosen === run.id }" @click="chosen = run.id">
            <td>
              <button class="link" :aria-pressed="chosen === run.id">to {{ run.version }}</button>
              <small>{{ fullText(run.createdAt) }}, {{ run.createdBy }}</small>
              <small>{{ run.state === 'running' ? `wave ${run.wave} of ${run.waves}` : run.state }}</small>
            </td>
            <td class="num"><b>{{ run.updated }}</b> of {{ run.total }}<small v-if="run.failed" class="critical">{{ run.failed }} went back or failed</small></td>
          </tr>
        </tbody>
      </table>
      <UpdateRun v-if="chosen" :id="chosen" :key="chosen" />
    </div>
  </div>
</template>

<style scoped>
.head {
  margin-top: 12px;
}
.version {
  width: 130px;
}
.count {
  width: 60px;
}
.old {
  white-space: nowrap;
}
.share {
  width: 240px;
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
.two {
  display: grid;
  grid-template-columns: 300px 1fr;
  gap: 28px;
  margin-top: 18px;
  align-items: start;
}
.list tr {
  cursor: pointer;
}
.list .on td {
  background: var(--act-soft);
}
.list td {
  padding-top: 6px;
  padding-bottom: 6px;
}
.list td:first-child {
  padding-left: 8px;
}
.list .num {
  white-space: nowrap;
}
small {
  display: block;
  font-size: 12.5px;
  color: var(--ink2);
}
small.critical {
  color: var(--critical);
}
</style>
