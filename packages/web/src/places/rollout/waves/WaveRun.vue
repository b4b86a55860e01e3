<script setup lang="ts">
import { computed } from 'vue'
import type { WaveMachineView, WaveRunPage } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { acceptKeys } from '../sweeps/acceptKeys'
import MachineKey from '../sweeps/MachineKey.vue'
import { failuresBy, failureWords } from '../runs/failures'
import RunPart from '../runs/RunPart.vue'

const props = defineProps<{ id: number }>()
const { data, error, refresh } = useResource(() => api.get<WaveRunPage>(`/wave-runs/${props.id}`), {
  topics: ['estate', 'reports'],
})
const failures = computed(() => failuresBy(data.value?.machines ?? [], (machine) => machine.failure ?? 'something-else'))
const isAboutKey = (machine: WaveMachineView) =>
  machine.failure === 'host-key-not-accepted' || machine.failure === 'host-key-changed'
const hasKeys = computed(() => data.value?.machines.some(isAboutKey))
const unaccepted = computed(() =>
  (data.value?.machines ?? []).flatMap(({ address, key, failure }) =>
    failure === 'host-key-not-accepted' && key?.state === 'new' ? [{ address, fingerprint: key.fingerprint }] : [],
  ),
)
async function acceptAll(): Promise<void> {
  if (await acceptKeys(data.value!.siteId, unaccepted.value)) await refresh()
}
/** How far a machine has come. */
function progress({ state, failure, step, device }: WaveMachineView): string {
  if (state === 'failed') return failureWords[failure ?? 'something-else']
  if (state === 'going') return step
  if (state === 'waiting') return 'waits'
  if (!device) return 'installed'
  return device.reports ? 'reports' : 'enrolled, no readings yet'
}
</script>

<template>
  <section aria-label="Run">
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <template v-if="data">
      <RunPart
        :path="`/wave-runs/${id}`"
        :title="data.name"
        :about="`, from ${data.deviceName}`"
        :run="data"
        @changed="refresh"
      >
        <template #failures>
          <p v-for="[kind, failed] in failures" :key="kind"><b>{{ countText(failed.length, 'machine') }}</b> {{ failureWords[kind] }}:
            <span class="muted">{{ failed[0]!.reason }}</span> <button v-if="kind === 'host-key-not-accepted' && unaccepted.length > 1" class="link" @click="acceptAll">accept
              all {{ unaccepted.length }} keys</button></p>
        </template>
        <thead>
          <tr>
            <th>Wave</th>
            <th>Machine</th>
            <th>Address</th>
            <th>How far</th>
            <th v-if="hasKeys">Key</th>
            <th>Device</th>
            <th class="num">Attempts</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="machine in data.machines" :key="machine.n" :class="machine.state">
            <td>{{ machine.wave }}</td>
            <td class="mono">{{ machine.name }}</td>
            <td class="mono">{{ machine.address }}</td>
            <td class="far" :title="machine.reason">{{ progress(machine) }}</td>
            <td v-if="hasKeys">
              <MachineKey
                v-if="isAboutKey(machine)"
                :site-id="data.siteId"
                :address="machine.address"
                :machine-key="machine.key"
                @accepted="refresh"
              />
            </td>
            <td>
              <RouterLink v-if="machine.device" class="mono" :to="`/estate/${machine.device.id}`">{{ machine.device.name }}</RouterLink>
            </td>
            <td class="num">{{ machine.attempts || '' }}</td>
          </tr>
        </tbody>
      </RunPart>
    </template>
  </section>
</template>
