<script setup lang="ts">
import { computed } from 'vue'
import { storeToRefs } from 'pinia'
import type { RetiredDevice, RetiredList } from '#contract'
import { api } from '../../parts/data/api'
import { attempt, done } from '../../parts/ui/notify'
import { partQuery, useParts } from '../../parts/data/parts'
import { useSession } from '../../parts/data/session'
import NearEnd from '../../parts/ui/NearEnd.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { exactText, fullText } from '../../parts/format/time'
import ShortTable from '../../parts/ui/ShortTable.vue'

const session = useSession()
const { clientId } = storeToRefs(session)
const { data, error, refresh, more } = useParts<RetiredList>(
  (after) => api.get(`/retired-devices?${partQuery(clientId.value, after)}`),
  (before, after) => ({ ...after, devices: [...before.devices, ...after.devices] }),
  { topics: ['estate'], sources: [clientId] },
)
const shown = computed(() => data.value?.devices ?? [])
async function bringBack(device: RetiredDevice): Promise<void> {
  if (!(await attempt(() => api.post(`/devices/${device.id}/bring-back`)))) return
  done(`${device.name} is in use again. For a week its agent can enrol anew under this name, with a key.`)
  await refresh()
}
const columns = [
  { key: 'device', title: 'Device' },
  { key: 'place', title: 'Client and site' },
  { key: 'at', title: 'Out of use since' },
  { key: 'acts', align: 'right' },
] as const
</script>

<template>
  <div>
    <StateNotice
      :error="error"
      :loading="!data"
      :empty="data && !shown.length ? 'No device was taken out of use. A device’s own page has the action for it.' : ''"
      @again="refresh"
    />
    <ShortTable v-if="shown.length" label="Out of use" :rows="shown" :columns="columns" row-key="id">
      <template #device="{ row: device }"><span class="mono">{{ device.name }}</span></template>
      <template #place="{ row: device }"><span class="muted">{{ device.clientName }} · {{ device.siteName }}</span></template>
      <template #at="{ row: device }"><span :title="exactText(device.retiredAt)">{{ fullText(device.retiredAt) }}</span></template>
      <template #acts="{ row: device }"><RouterLink v-if="device.mergedInto" :to="`/estate/${device.mergedInto}`">its history is here now</RouterLink>
                <button v-else class="link" @click="bringBack(device)">bring back</button></template>
    </ShortTable>
    <NearEnd v-if="data?.next" :key="shown.length" :rest="data.total - shown.length" @near="more" />
  </div>
</template>
