<script setup lang="ts">
import { computed } from 'vue'
import type { UpdateDeviceView, UpdateRunPage } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { failuresBy } from '../runs/failures'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import RunPart from '../runs/RunPart.vue'

const props = defineProps<{ id: number }>()
const { data, error, refresh } = useResource(() => api.get<UpdateRunPage>(`/update-runs/${props.id}`), {
  topics: ['estate'],
})
const failures = computed(() => failuresBy(data.value?.devices ?? [], (device) => device.reason))
const far = (device: UpdateDeviceView) =>
  ({ waiting: device.reason ? `waits; before: ${device.reason}` : 'waits', going: device.step, updated: device.reason || 'reports', failed: device.reason })[device.state]
const columns = [
  { key: 'wave', title: 'Wave', width: 60 },
  { key: 'device', title: 'Device' },
  { key: 'client', title: 'Client' },
  { key: 'from', title: 'From' },
  { key: 'far', title: 'How far' },
] as const
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
        <ShortTable label="Devices" :rows="data.devices" :columns="columns" row-key="id" :row-class="(device) => device.state">
          <template #wave="{ row: device }">{{ device.wave }}</template>
          <template #device="{ row: device }"><RouterLink class="mono" :to="`/estate/${device.id}`">{{ device.name }}</RouterLink></template>
          <template #client="{ row: device }"><span class="muted">{{ device.clientName }}</span></template>
          <template #from="{ row: device }"><span class="mono">{{ device.fromVersion }}</span></template>
          <template #far="{ row: device }"><span class="far" :title="device.reason">{{ far(device) }}</span></template>
        </ShortTable>
      </RunPart>
    </template>
  </section>
</template>
