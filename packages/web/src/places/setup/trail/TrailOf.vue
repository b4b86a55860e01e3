<script setup lang="ts">
import { computed } from 'vue'
import type { AuditKind, AuditLine, LiveEvent } from '#contract'
import { api } from '../../../parts/data/api'
import { useNewestFirst } from '../../../parts/data/parts'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import TrailTable from './TrailTable.vue'

/** What people did to one thing: its own part of the audit trail. */
const props = defineProps<{ kind: AuditKind; id: number; topics: LiveEvent['topic'][]; deviceId?: number }>()
const { data, error, refresh, hasMore, more } = useNewestFirst<AuditLine>(
  (part) => api.get(`/audit?${part}&kind=${props.kind}&object=${props.id}`),
  { topics: props.topics, ...(props.deviceId === undefined ? {} : { deviceId: () => props.deviceId! }) },
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
