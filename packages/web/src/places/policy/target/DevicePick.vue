<script setup lang="ts">
import { ref, watch } from 'vue'
import type { TargetMatches } from '#contract'
import { api } from '../../../parts/data/api'
import SuggestField from '../../../parts/ui/SuggestField.vue'

/** Devices chosen one by one, by typing a part of their name. */
const props = defineProps<{ ids: readonly number[] }>()
const emit = defineEmits<{ change: [ids: number[]] }>()
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
const find = async (words: string) =>
  (
    await api.post<TargetMatches>('/targets/matches', { target: { on: 'name', pattern: `*${words}*` } })
  ).sample
    .filter((device) => !props.ids.includes(device.deviceId))
    .slice(0, 12)
function choose(device: TargetMatches['sample'][number]): void {
  remember([device])
  emit('change', [...props.ids, device.deviceId])
}
</script>

<template>
  <span class="pick">
    <span v-for="id in ids.slice(0, 12)" :key="id" class="picked"><span class="mono">{{ names[id] ?? '…' }}</span> <button
      type="button"
      class="link"
      :aria-label="`Leave ${names[id] ?? 'it'} out`"
      @click="emit('change', ids.filter((other) => other !== id))"
    >×</button></span>
    <span v-if="ids.length > 12" class="muted">and {{ ids.length - 12 }} more</span>
    <SuggestField
      label="Add a device"
      placeholder="part of a name"
      :ask="find"
      :none="(words) => `No other device has “${words}” in its name.`"
      @choose="choose"
    >
      <template #default="{ item: device }"><span class="mono">{{ device.deviceName }}</span> <span class="muted">{{ device.clientName }}</span></template>
    </SuggestField>
  </span>
</template>

<style scoped>
.pick {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  flex: 1;
}
.picked {
  white-space: nowrap;
}
.suggest {
  width: 180px;
}
</style>
