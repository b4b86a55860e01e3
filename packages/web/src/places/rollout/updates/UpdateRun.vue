<script setup lang="ts">
import { computed } from 'vue'
import type { UpdateAction, UpdateDeviceView, UpdateRunPage } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { attempt } from '../../../parts/ui/notify'
import { useResource } from '../../../parts/data/resource'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import RunHead from '../runs/RunHead.vue'

const props = defineProps<{ id: number }>()
const { data, error, refresh } = useResource(() => api.get<UpdateRunPage>(`/update-runs/${props.id}`), {
  topics: ['estate'],
})
const failures = computed(() => {
  const reasons = new Map<string, number>()
  for (const device of data.value?.devices ?? [])
    if (device.state === 'failed') reasons.set(device.reason, (reasons.get(device.reason) ?? 0) + 1)
  return [...reasons].sort((a, b) => b[1] - a[1])
})
async function control(action: UpdateAction): Promise<void> {
  if (await attempt(() => api.post(`/update-runs/${props.id}/${action}`))) await refresh()
}
const far = (device: UpdateDeviceView) =>
  ({ waiting: 'waits', going: device.step, updated: device.reason || 'reports', failed: device.reason })[device.state]
/** Which wave it is at, or that it is not on its way. */
const standing = computed(() =>
  data.value?.state === 'running' ? `wave ${data.value.wave} of ${data.value.waves}` : (data.value?.state ?? ''),
)
</script>

<template>
  <section aria-label="Update">
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <template v-if="data">
      <RunHead :title="`Update to ${data.version}`" :standing="`${standing}; ${data.minutes} min to report`" :state="data.state" :reason="data.reason" @control="control" />
      <div v-if="failures.length" class="failures" role="group" aria-label="Failures"><p v-for="[reason, count] in failures" :key="reason"><b>{{ countText(count, 'device') }}</b> {{ reason }}</p><button class="btn" @click="control('retry')">Try again only the {{ data.failed }} that failed</button></div>
      <table class="board"><thead><tr><th>Wave</th><th>Device</th><th>Client</th><th>From</th><th>How far</th></tr></thead>
        <tbody><tr v-for="device in data.devices" :key="device.id" :class="device.state"><td>{{ device.wave }}</td><td><RouterLink class="mono" :to="`/estate/${device.id}`">{{ device.name }}</RouterLink></td><td class="muted">{{ device.clientName }}</td><td class="mono">{{ device.fromVersion }}</td><td class="far" :title="device.reason">{{ far(device) }}</td></tr></tbody></table>
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
  max-width: 380px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
