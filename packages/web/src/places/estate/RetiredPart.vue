<script setup lang="ts">
import { computed } from 'vue'
import type { RetiredDevice } from '#contract'
import { api } from '../../parts/data/api'
import { attempt, done } from '../../parts/ui/notify'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { exactText, fullText } from '../../parts/format/time'

const session = useSession()
const { data, error, refresh } = useResource(() => api.get<RetiredDevice[]>('/retired-devices'), { topics: ['estate'] })
const shown = computed(() => (data.value ?? []).filter((device) => session.inView(device.clientId)))
async function bringBack(device: RetiredDevice): Promise<void> {
  if (!(await attempt(() => api.post(`/devices/${device.id}/bring-back`)))) return
  done(`${device.name} is in use again. For a week its agent can enrol anew under this name, with a key.`)
  await refresh()
}
</script>

<template>
  <div>
    <StateNotice
      :error="error"
      :loading="!data"
      :empty="data && !shown.length ? 'No device was taken out of use. A device’s own page has the action for it.' : ''"
      @again="refresh"
    />
    <table v-if="shown.length" class="board">
      <thead><tr><th>Device</th><th>Client and site</th><th>Out of use since</th><th></th></tr></thead>
      <tbody>
        <tr v-for="device in shown" :key="device.id">
          <td class="mono">{{ device.name }}</td>
          <td class="muted">{{ device.clientName }} · {{ device.siteName }}</td>
          <td :title="exactText(device.retiredAt)">{{ fullText(device.retiredAt) }}</td>
          <td class="num">
            <RouterLink v-if="device.mergedInto" :to="`/estate/${device.mergedInto}`">its history is here now</RouterLink>
            <button v-else class="link" @click="bringBack(device)">bring back</button>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
