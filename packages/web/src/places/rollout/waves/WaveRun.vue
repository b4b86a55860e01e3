<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { WaveMachineView, WaveRunPage } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { attempt } from '../../../parts/ui/notify'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { acceptKeys } from '../sweeps/acceptKeys'
import MachineKey from '../sweeps/MachineKey.vue'
import { failuresBy, failureWords } from '../runs/failures'
import ShortTable from '../../../parts/ui/ShortTable.vue'
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
/** Of the machine that gets another name. */
const renaming = ref<number | null>(null)
const newName = ref('')
function beginRename({ n, name }: WaveMachineView): void {
  renaming.value = n
  newName.value = name ?? ''
}
async function rename(): Promise<void> {
  const path = `/wave-runs/${props.id}/machines/${renaming.value}`
  if (!(await attempt(() => api.put(path, { name: newName.value })))) return
  renaming.value = null
  await refresh()
}
async function acceptAll(): Promise<void> {
  if (await acceptKeys(data.value!.siteId, unaccepted.value)) await refresh()
}
/** How far a machine has come. */
function progress({ state, failure, reason, step, device }: WaveMachineView): string {
  if (state === 'failed') return failureWords[failure ?? 'something-else']
  if (state === 'going') return step
  if (state === 'waiting') return failure ? `waits; before: ${failureWords[failure]}` : reason ? `waits; before: ${reason}` : 'waits'
  if (!device) return 'installed'
  return device.reports ? 'reports' : 'enrolled, no readings yet'
}
const columns = computed(() => [
  { key: 'wave', title: 'Wave', width: 60 },
  { key: 'machine', title: 'Machine' },
  { key: 'address', title: 'Address' },
  { key: 'far', title: 'How far' },
  ...(hasKeys.value ? [{ key: 'key', title: 'Key' }] : []),
  { key: 'device', title: 'Device' },
  { key: 'attempts', title: 'Attempts', align: 'right' as const },
])
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
        <ShortTable label="Machines" :rows="data.machines" :columns="columns" row-key="n" :row-class="(machine) => machine.state">
          <template #wave="{ row: machine }">{{ machine.wave }}</template>
          <template #machine="{ row: machine }">
            <form v-if="renaming === machine.n" class="rename" @submit.prevent="rename" @keydown.esc="renaming = null">
              <ElInput v-model="newName" size="small" class="mono" maxlength="63" autofocus aria-label="Another name" />
              <button class="btn main">Save</button>
            </form>
            <template v-else><span class="mono">{{ machine.name }}</span> <button v-if="['failed', 'waiting'].includes(machine.state)" class="link" :aria-label="`Rename ${machine.name || machine.address}`" @click="beginRename(machine)">rename</button></template>
          </template>
          <template #address="{ row: machine }"><span class="mono">{{ machine.address }}</span></template>
          <template #far="{ row: machine }"><span class="far" :title="machine.reason">{{ progress(machine) }}</span></template>
          <template #key="{ row: machine }">
            <MachineKey
              v-if="isAboutKey(machine)"
              :site-id="data.siteId"
              :address="machine.address"
              :machine-key="machine.key"
              @accepted="refresh"
            />
          </template>
          <template #device="{ row: machine }">
            <RouterLink v-if="machine.device" class="mono" :to="`/estate/${machine.device.id}`">{{ machine.device.name }}</RouterLink>
          </template>
          <template #attempts="{ row: machine }">{{ machine.attempts || '' }}</template>
        </ShortTable>
      </RunPart>
    </template>
  </section>
</template>

<style scoped>
.rename {
  display: flex;
  gap: 6px;
}
</style>
