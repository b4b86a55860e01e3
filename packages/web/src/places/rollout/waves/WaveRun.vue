<script setup lang="ts">
import { computed } from 'vue'
import type { RunAction, WaveMachineView, WaveRunPage } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { attempt } from '../../../parts/ui/notify'
import { useResource } from '../../../parts/data/resource'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { acceptKeys } from '../sweeps/acceptKeys'
import MachineKey from '../sweeps/MachineKey.vue'
import RunHead from '../runs/RunHead.vue'

const props = defineProps<{ id: number }>()
const { data, error, refresh } = useResource(() => api.get<WaveRunPage>(`/wave-runs/${props.id}`), {
  topics: ['estate', 'reports'],
})
/** Failures by their kind, the commonest first. */
const failures = computed(() => {
  const kinds = new Map<string, WaveMachineView[]>()
  for (const machine of data.value?.machines ?? [])
    if (machine.state === 'failed') kinds.set(machine.failure ?? '', [...(kinds.get(machine.failure ?? '') ?? []), machine])
  return [...kinds].sort((a, b) => b[1].length - a[1].length)
})
const isAboutKey = (machine: WaveMachineView) =>
  machine.failure === 'host key not accepted' || machine.failure === 'host key changed'
const hasKeys = computed(() => data.value?.machines.some(isAboutKey))
const unaccepted = computed(() =>
  (data.value?.machines ?? []).flatMap(({ address, key, failure }) =>
    failure === 'host key not accepted' && key?.state === 'new' ? [{ address, fingerprint: key.fingerprint }] : [],
  ),
)
async function acceptAll(): Promise<void> {
  if (await acceptKeys(data.value!.siteId, unaccepted.value)) await refresh()
}
async function control(action: RunAction): Promise<void> {
  if (await attempt(() => api.post(`/wave-runs/${props.id}/${action}`))) await refresh()
}
const progress = (machine: WaveMachineView) =>
  machine.state === 'failed'
    ? machine.failure
    : machine.state === 'installed'
      ? machine.device
        ? machine.device.reports
          ? 'reports'
          : 'enrolled, no readings yet'
        : 'installed'
      : machine.state === 'going'
        ? machine.step
        : 'waits'
/** Which wave it is at, or that it is not on its way. */
const standing = computed(() =>
  data.value?.state === 'running' ? `wave ${data.value.wave} of ${data.value.waves}` : (data.value?.state ?? ''),
)
</script>

<template>
  <section aria-label="Run">
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <template v-if="data">
      <RunHead :title="data.name" :standing="`${standing}, from ${data.deviceName}`" :state="data.state" :reason="data.reason" @control="control" />
      <div v-if="failures.length" class="failures" role="group" aria-label="Failures"><p v-for="[kind, list] in failures" :key="kind"><b>{{ countText(list.length, 'machine') }}</b> {{ kind }}: <span class="muted">{{ list[0]!.reason }}</span> <button v-if="kind === 'host key not accepted' && unaccepted.length > 1" class="link" @click="acceptAll">accept all {{ unaccepted.length }} keys</button></p><button class="btn" @click="control('retry')">Try again only the {{ data.failed }} that failed</button></div>
      <table class="board"><thead><tr><th>Wave</th><th>Machine</th><th>Address</th><th>How far</th><th v-if="hasKeys">Key</th><th>Device</th><th class="num">Attempts</th></tr></thead>
        <tbody><tr v-for="machine in data.machines" :key="machine.n" :class="machine.state"><td>{{ machine.wave }}</td><td class="mono">{{ machine.name }}</td><td class="mono">{{ machine.address }}</td><td class="far" :title="machine.reason">{{ progress(machine) }}</td>
          <td v-if="hasKeys"><MachineKey v-if="isAboutKey(machine)" :site-id="data.siteId" :address="machine.address" :machine-key="machine.key" @accepted="refresh" /></td>
          <td><RouterLink v-if="machine.device" class="mono" :to="`/estate/${machine.device.id}`">{{ machine.device.name }}</RouterLink></td><td class="num">{{ machine.attempts || '' }}</td></tr></tbody></table>
    </template>
  </section>
</template>

<style scoped>
.failures {
  border-left: 2px solid var(--critical);
  padding-left: 12px;
  margin: 6px 0;
  display: grid;
  gap: 2px;
  justify-items: start;
}
.failures .btn {
  margin-top: 4px;
}
.failed .far {
  color: var(--critical);
}
.waiting .far {
  color: var(--ink3);
}
.far {
  max-width: 300px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
