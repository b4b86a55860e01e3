<script setup lang="ts">
import { computed } from 'vue'
import type { UpdateDeviceView, UpdateRunPage } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { failuresBy } from '../runs/failures'
import RunPart from '../runs/RunPart.vue'

const props = defineProps<{ id: number }>()
const { data, error, refresh } = useResource(() => api.get<UpdateRunPage>(`/update-runs/${props.id}`), {
  topics: ['estate'],
})
const failures = computed(() => failuresBy(data.value?.devices ?? [], (device) => device.reason))
const far = (device: UpdateDeviceView) =>
  ({ waiting: 'waits', going: device.step, updated: device.reason || 'reports', failed: device.reason })[device.state]
</script>

<template>
  <section aria-label="Update">
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <template v-if="data">
      <RunPart
        :path="`/update-runs/${id}`"
        :title="`Update to ${data.version}`"
        :about="`; ${data.minutes} min to report`"
        :run="data"
        @changed="refresh"
      >
        <template #failures>
          <p v-for="[reason, failed] in failures" :key="reason"><b>{{ countText(failed.length, 'device') }}</b>
            {{ reason }}</p>
        </template>
        <thead><tr><th>Wave</th><th>Device</th><th>Client</th><th>From</th><th>How far</th></tr></thead>
        <tbody>
          <tr v-for="device in data.devices" :key="device.id" :class="device.state">
            <td>{{ device.wave }}</td>
            <td><RouterLink class="mono" :to="`/estate/${device.id}`">{{ device.name }}</RouterLink></td>
            <td class="muted">{{ device.clientName }}</td>
            <td class="mono">{{ device.fromVersion }}</td>
            <td class="far" :title="device.reason">{{ far(device) }}</td>
          </tr>
        </tbody>
      </RunPart>
    </template>
  </section>
</template>
