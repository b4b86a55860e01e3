<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { ElInputNumber } from 'element-plus/es/components/input-number/index'
import 'element-plus/es/components/input-number/style/css'
import { computed, ref } from 'vue'
import type { NewUpdateRun, ReleaseView, VersionDevice } from '#contract'
import { countText, cutIntoWaves } from '#core'
import { api } from '../../../parts/data/api'
import { attempt, done } from '../../../parts/ui/notify'
import { behind } from './versionCounts'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

/** An update of agents as a sentence. */
const props = defineProps<{ releases: ReleaseView[]; devices: VersionDevice[] }>()
const emit = defineEmits<{ started: [id: number]; close: [] }>()
const version = ref(props.releases[0]?.version ?? '')
const clientId = ref(0)
const first = ref(3)
const failed = ref(0)
const minutes = ref(5)
const left = ref<number[]>([])
const clients = computed(() =>
  [...new Map(props.devices.map((device) => [device.clientId, device.clientName]))].sort((a, b) => (a[1] < b[1] ? -1 : 1)),
)
const candidates = computed(() =>
  behind(props.devices, version.value).filter((device) => clientId.value === 0 || device.clientId === clientId.value),
)
const chosen = computed(() => candidates.value.filter((candidate) => !left.value.includes(candidate.id)))
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
async function start(): Promise<void> {
  busy.value = true
  const body: NewUpdateRun = {
    version: version.value,
    deviceIds: chosen.value.map((candidate) => candidate.id),
    waves: sizes.value,
    mostFailed: failed.value / 100,
    minutes: minutes.value,
  }
  const made = await attempt(() => api.post<{ id: number }>('/update-runs', body))
  busy.value = false
  if (!made) return
  done('The update has begun; agents take it with their next report.')
  emit('started', made.id)
}
function toggle(id: number): void {
  left.value = left.value.includes(id) ? left.value.filter((other) => other !== id) : [...left.value, id]
}
</script>

<template>
  <form aria-label="Update agents" @submit.prevent="start">
    <p class="sentence">Bring
      <ChoiceField v-model="clientId" label="Whose">
        <option :value="0">every agent</option>
        <option v-for="[id, name] in clients" :key="id" :value="id">every agent at {{ name }}</option>
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
    <p class="muted">
      <template v-if="chosen.length"><b>{{ countText(chosen.length, 'device') }}</b> in
        {{ countText(waves.length, 'wave') }}: {{ waves.join(', ') }}.</template>
      <template v-else>Every agent there runs {{ version }} already, or cannot be updated from here.</template>
    </p>
    <details v-if="candidates.length">
      <summary>Which</summary>
      <p class="which">
        <ElCheckbox
          v-for="candidate in candidates.slice(0, 500)"
          :key="candidate.id"
          :model-value="!left.includes(candidate.id)"
          @update:model-value="toggle(candidate.id)"
        ><span class="mono">{{ candidate.name }}</span> <span class="faint">{{ candidate.version }}</span></ElCheckbox>
      </p>
    </details>
    <div class="row">
      <button class="btn main" :disabled="busy || !chosen.length">Update {{ countText(chosen.length, 'agent') }}</button>
      <button type="button" class="btn" @click="emit('close')">Cancel</button>
    </div>
  </form>
</template>

<style scoped>
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
summary {
  cursor: pointer;
  color: var(--act);
}
.which {
  columns: 4;
}
.which label {
  display: block;
}
</style>
