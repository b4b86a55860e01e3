<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import type { WaveRunView } from '#contract'
import { api } from '../../../parts/data/api'
import { useNewestFirst } from '../../../parts/data/parts'
import { useSession } from '../../../parts/data/session'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { fullText } from '../../../parts/format/time'
import CredentialList from '../credentials/CredentialList.vue'
import WaveForm from './WaveForm.vue'
import WaveRun from './WaveRun.vue'
import RunList from '../runs/RunList.vue'
import { useChosenRun } from '../runs/useChosenRun'

/** Agents sent out to many machines: first a few, then the rest. */
const session = useSession()
const { data, error, refresh, hasMore, more } = useNewestFirst<WaveRunView>((query) => api.get(`/wave-runs?${query}`), { topics: ['estate'] })
const shown = computed(() => (data.value ?? []).filter((wave) => session.inView(wave.clientId)))
const { query } = useRoute()
const making = ref(query.devices !== undefined || query.sweep !== undefined)
const chosen = useChosenRun(data)
async function started(id: number): Promise<void> {
  making.value = false
  chosen.value = id
  await refresh()
}
const stateText = (run: WaveRunView) => (run.state === 'running' ? `wave ${run.wave} of ${run.waves}` : run.state)
const nothingYet =
  'No agents were sent out yet. Sweep a network to find machines, store a sign-in for them, and send them from here.'
</script>

<template>
  <div>
    <div class="head">
      <h2>Runs</h2>
      <span class="end"><button v-if="!making" class="btn main" @click="making = true">Send agents out</button></span>
    </div>
    <WaveForm v-if="making" @started="started" @close="making = false" />
    <StateNotice
      :error="error"
      :loading="!data"
      :empty="data && !shown.length && !making ? nothingYet : ''"
      @again="refresh"
    />
    <RunList v-if="shown.length" v-model="chosen" label="Runs" :runs="shown" :has-more="hasMore" @more="more">
      <template #what="{ run }">
        <button class="link" :aria-pressed="chosen === run.id" @click="chosen = run.id">{{ run.name }}</button>
        <small>{{ run.clientName }} · {{ run.siteName }}, {{ fullText(run.createdAt) }}</small>
        <small>{{ stateText(run) }}</small>
      </template>
      <template #count="{ run }"><b>{{ run.installed }}</b> of {{ run.total }}<small v-if="run.failed" class="critical">{{ run.failed }} failed</small></template>
      <WaveRun v-if="chosen" :id="chosen" :key="chosen" />
    </RunList>
    <CredentialList />
  </div>
</template>

<style scoped>
.head {
  margin-top: 12px;
}
</style>
