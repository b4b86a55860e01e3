<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import type { WaveRunView } from '#contract'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { fullText } from '../../../parts/format/time'
import CredentialList from '../credentials/CredentialList.vue'
import WaveForm from './WaveForm.vue'
import WaveRun from './WaveRun.vue'

/** Agents sent out to many machines: first a few, then the rest. */
const session = useSession()
const { data, error, refresh } = useResource(() => api.get<WaveRunView[]>('/wave-runs'), { topics: ['estate'] })
const shown = computed(() => (data.value ?? []).filter((wave) => session.inView(wave.clientId)))
const making = ref(useRoute().query.devices !== undefined)
const chosen = ref<number | null>(null)
watch(data, (list) => {
  chosen.value ??= list?.[0]?.id ?? null
})
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
    <div v-if="shown.length" class="two">
      <table class="board list" aria-label="Runs">
        <tbody>
          <tr v-for="wave in shown" :key="wave.id" :class="{ on: chosen === wave.id }" @click="chosen = wave.id">
            <td>
              <button class="link" :aria-pressed="chosen === wave.id">{{ wave.name }}</button>
              <small>{{ wave.clientName }} · {{ wave.siteName }}, {{ fullText(wave.createdAt) }}</small>
              <small>{{ stateText(wave) }}</small>
            </td>
            <td class="num"><b>{{ wave.installed }}</b> of {{ wave.total }}<small v-if="wave.failed" class="critical">{{ wave.failed }} failed</small></td>
          </tr>
        </tbody>
      </table>
      <WaveRun v-if="chosen" :id="chosen" :key="chosen" />
    </div>
    <CredentialList />
  </div>
</template>

<style scoped>
.head {
  margin-top: 12px;
}
.two {
  display: grid;
  grid-template-columns: 300px 1fr;
  gap: 28px;
  margin-top: 8px;
  align-items: start;
}
.list tr {
  cursor: pointer;
}
.list .on td {
  background: var(--act-soft);
}
.list td:first-child {
  padding-left: 8px;
}
.list .num {
  white-space: nowrap;
}
.list td {
  padding-top: 6px;
  padding-bottom: 6px;
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
