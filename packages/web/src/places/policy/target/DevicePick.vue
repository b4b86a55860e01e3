<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { ref, watch } from 'vue'
import type { TargetMatches } from '#contract'
import { api } from '../../../parts/data/api'

/** Devices chosen one by one, by typing a part of their name. */
const props = defineProps<{ ids: readonly number[] }>()
const emit = defineEmits<{ change: [ids: number[]] }>()
const typed = ref('')
const found = ref<TargetMatches['sample']>([])
const names = ref<Record<number, string>>({})
const remember = (sample: TargetMatches['sample']) => {
  for (const device of sample) names.value[device.deviceId] = device.deviceName
}
watch(
  () => props.ids.filter((id) => !(id in names.value)),
  async (unknown) => {
    if (unknown.length)
      remember(
        (await api.post<TargetMatches>('/targets/matches', { target: { on: 'devices', deviceIds: unknown } })).sample,
      )
  },
  { immediate: true },
)
watch(refDebounced(typed, 150), async (text) => {
  found.value = text.trim()
    ? (
        await api.post<TargetMatches>('/targets/matches', { target: { on: 'name', pattern: `*${text.trim()}*` } })
      ).sample
        .filter((device) => !props.ids.includes(device.deviceId))
        .slice(0, 6)
    : []
})
function choose(device: TargetMatches['sample'][number]): void {
  remember([device])
  typed.value = ''
  found.value = []
  emit('change', [...props.ids, device.deviceId])
}
</script>

<template>
  <span class="pick"><span v-for="id in ids.slice(0, 12)" :key="id" class="one"><span class="mono">{{ names[id] ?? '…' }}</span> <button type="button" class="link" :aria-label="`Leave ${names[id] ?? 'it'} out`" @click="emit('change', ids.filter((other) => other !== id))">×</button></span><span v-if="ids.length > 12" class="muted">and {{ ids.length - 12 }} more</span>
    <input v-model="typed" aria-label="Add a device" placeholder="part of a name" spellcheck="false" @keydown.enter.prevent="found[0] && choose(found[0])" />
    <span v-for="device in found" :key="device.deviceId"><button type="button" class="link" @click="choose(device)"><span class="mono">{{ device.deviceName }}</span> <span class="muted">{{ device.clientName }}</span></button></span></span>
</template>

<style scoped>
.pick {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  flex: 1;
}
.one {
  white-space: nowrap;
}
input {
  font: inherit;
  color: var(--ink);
  background: var(--field);
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 1px 6px;
  width: 130px;
}
</style>
