<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ElInputNumber } from 'element-plus/es/components/input-number/index'
import 'element-plus/es/components/input-number/style/css'
import { computed, ref, watch } from 'vue'
import type { NewUpdateRun, ReleaseView, VersionDevice } from '#contract'
import { countText, cutIntoWaves } from '#core'
import { api } from '../../../parts/data/api'
import { done } from '../../../parts/ui/notify'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import FaultLines from '../../../parts/ui/FaultLines.vue'
import { useChecked } from '../../../parts/ui/checked'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

/** An update of agents as a sentence. */
const props = defineProps<{ releases: ReleaseView[] }>()
const emit = defineEmits<{ started: [id: number]; close: [] }>()
const version = ref(props.releases[0]?.version ?? '')
const session = useSession()
const clientId = ref(session.clientId ?? 0)
const first = ref(3)
const failed = ref(0)
const minutes = ref(5)
/** Those that are left out. */
const left = ref<ReadonlySet<number>>(new Set())
const { data, error, refresh } = useResource(
  () => {
    const query = new URLSearchParams({ behind: version.value })
    if (clientId.value) query.set('client', String(clientId.value))
    return api.get<VersionDevice[]>(`/agent-versions/devices?${query}`)
  },
  { sources: [version, clientId] },
)
watch([version, clientId], () => {
  left.value = new Set()
})
const candidates = computed(() => data.value ?? [])
const chosen = computed(() => candidates.value.filter((candidate) => !left.value.has(candidate.id)))
const words = ref('')
const found = computed(() =>
  candidates.value.filter(({ name, clientName }) => `${name} ${clientName}`.toLowerCase().includes(words.value.toLowerCase())),
)
const isOpen = ref(false)
const columns = [
  { key: 'take', hint: 'Update it', width: 40 },
  { key: 'device', title: 'Device' },
  { key: 'client', title: 'Client' },
  { key: 'version', title: 'Runs' },
] as const
const sizes = computed(() =>
  first.value > 0 && first.value < chosen.value.length
    ? [first.value, Math.min(chosen.value.length, first.value * 5)]
    : [],
)
const waves = computed(() => {
  const cut = cutIntoWaves(chosen.value.length, sizes.value)
  return [...new Set(cut)].map((wave) => cut.filter((candidate) => candidate === wave).length)
})
const busy = ref(false)
const body = (): NewUpdateRun => ({
  version: version.value,
  deviceIds: chosen.value.map((candidate) => candidate.id),
  waves: sizes.value,
  mostFailed: failed.value / 100,
  minutes: minutes.value,
})
const { faults, send } = useChecked(async () => (await import('#contract')).newUpdateRunSchema, body)
async function start(): Promise<void> {
  busy.value = true
  const made = await send(() => api.post<{ id: number }>('/update-runs', body()))
  busy.value = false
  if (!made) return
  done('The update has begun; agents take it with their next report.')
  emit('started', made.id)
}
function toggle(id: number): void {
  const after = new Set(left.value)
  if (!after.delete(id)) after.add(id)
  left.value = after
}
</script>

<template>
  <form aria-label="Update agents" @submit.prevent="start">
    <p class="sentence">Bring
      <ChoiceField v-model="clientId" label="Whose">
        <option :value="0">every agent</option>
        <option v-for="client in session.clients" :key="client.id" :value="client.id">every agent at {{ client.name }}</option>
      </ChoiceField> to version
      <ChoiceField v-model="version" label="Version">
        <option v-for="release in releases" :key="release.version">{{ release.version }}</option>
      </ChoiceField>: first
      <ElInputNumber v-model="first" :min="1" :max="20000" aria-label="First wave" class="short" :controls="false" size="small" />, then the
      rest if at most
      <ElInputNumber
        v-model="failed"
        :min="0"
        :max="100"
        aria-label="Failures allowed, per cent"
        class="short" :controls="false" size="small" /> % failed. One that does not report within
      <ElInputNumber v-model="minutes" :min="1" :max="1440" aria-label="Minutes to report" class="short" :controls="false" size="small" />
      min goes back.</p>
    <FaultLines
      :faults="faults"
      :fields="{
        waves: 'First wave',
        mostFailed: 'Failures allowed, per cent',
        minutes: 'Minutes to report',
        deviceIds: 'Find a device',
      }"
    />
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <p v-if="data" class="muted">
      <template v-if="chosen.length"><b>{{ countText(chosen.length, 'device') }}</b> in
        {{ countText(waves.length, 'wave') }}: {{ waves.join(', ') }}.</template>
      <template v-else-if="candidates.length">All are left out.</template>
      <template v-else>Every agent there runs {{ version }} already, or cannot be updated from here.</template>
      <button v-if="candidates.length" type="button" class="link" :aria-expanded="isOpen" @click="isOpen = !isOpen">{{ isOpen ? 'hide them' : 'choose which' }}</button>
    </p>
    <template v-if="isOpen && candidates.length">
      <ElInput v-model="words" class="words" size="small" clearable placeholder="device or client" aria-label="Find a device" />
      <ShortTable label="Devices to update" :rows="found" :columns="columns" row-key="id">
        <template #take="{ row: candidate }">
          <ElCheckbox
            :model-value="!left.has(candidate.id)"
            @update:model-value="toggle(candidate.id)"><span class="visually-hidden">Update {{ candidate.name }}</span></ElCheckbox>
        </template>
        <template #device="{ row: candidate }"><span class="mono">{{ candidate.name }}</span></template>
        <template #client="{ row: candidate }">{{ candidate.clientName }}</template>
        <template #version="{ row: candidate }"><span class="mono">{{ candidate.version || 'not reported yet' }}</span></template>
      </ShortTable>
    </template>
    <div class="row">
      <button class="btn main" :disabled="busy || !chosen.length">Update {{ countText(chosen.length, 'agent') }}</button>
      <button type="button" class="btn" @click="emit('close')">Cancel</button>
    </div>
  </form>
</template>

<style scoped>
.words {
  width: 240px;
}
form {
  display: grid;
  gap: 8px;
  margin-top: 14px;
  padding: 12px 0;
  border-top: 1px solid var(--rule);
  border-bottom: 1px solid var(--rule);
}
.sentence {
  line-height: 32px;
  max-width: 900px;
}
.short {
  width: 70px;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
