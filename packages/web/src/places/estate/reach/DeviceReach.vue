<script setup lang="ts">
import { computed, defineAsyncComponent, ref } from 'vue'
import type { DevicePage, DeviceReach } from '#contract'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import ReachTable from './ReachTable.vue'

/** What other devices see of this one, and what it sees of them. */
const WatchReachDialog = defineAsyncComponent(() => import('./WatchReachDialog.vue'))
const props = defineProps<{ device: DevicePage }>()
const session = useSession()
const watching = ref(false)
const { data, error, refresh } = useResource(() => api.get<DeviceReach>(`/devices/${props.device.id}/reach`), {
  topics: ['alerts', 'estate', 'policy'],
  deviceId: () => props.device.id,
})
const emptyText = computed(() =>
  data.value && !data.value.of.length
    ? `Nobody looks at ${props.device.name}${props.device.osFamily === null ? ', and it has no agent: nothing of it is watched' : ' from elsewhere'}.`
    : '',
)
</script>

<template>
  <div>
    <div class="head">
      <h2>Seen from other devices</h2>
      <span v-if="device.addresses.length" class="muted mono">{{ device.addresses.join(', ') }}</span>
      <button v-if="session.mayChange" class="btn end" @click="watching = true">Look at it</button>
    </div>
    <StateNotice :error="error" :loading="!data" :empty="emptyText" @again="refresh" />
    <ReachTable v-if="data?.of.length" :rows="data.of" label="Seen from other devices" is-one />
    <template v-if="data?.by.length">
      <h2>What it looks at</h2>
      <ReachTable :rows="data.by" label="What it looks at" />
    </template>
    <WatchReachDialog v-if="watching" :device="device" @close="watching = false" />
  </div>
</template>

<style scoped>
.head {
  display: flex;
  gap: 12px;
  align-items: baseline;
}
.end {
  margin-left: auto;
}
h2 {
  margin: 16px 0 6px;
}
</style>
