<script setup lang="ts">
import { computed } from 'vue'
import type { AuditLine, DevicePage } from '#contract'
import { api } from '../../parts/data/api'
import { useNewestFirst } from '../../parts/data/parts'
import StateNotice from '../../parts/ui/StateNotice.vue'
import TrailTable from '../setup/trail/TrailTable.vue'

/** What people did to a device: its part of the audit trail. */
const props = defineProps<{ device: DevicePage }>()
const { data, error, refresh, hasMore, more } = useNewestFirst<AuditLine>(
  (part) => api.get(`/audit?${part}&kind=device&object=${props.device.id}`),
  { topics: ['estate'], deviceId: () => props.device.id },
)
const rows = computed(() => data.value ?? [])
</script>

<template>
  <div>
    <StateNotice
      :error="error"
      :loading="!data"
      :empty="data && !rows.length ? 'Nobody has changed anything here since it is kept.' : ''"
      @again="refresh"
    />
    <TrailTable v-if="rows.length" label="What was done to it" :rows="rows" one />
    <p v-if="hasMore"><button class="link" @click="more">older ones</button></p>
  </div>
</template>
