<script setup lang="ts">
import type { Notice } from '#contract'
import { api } from '../../parts/data/api'
import { attempt } from '../../parts/ui/notify'
import { useResource } from '../../parts/data/resource'
import { exactText, shortText } from '../../parts/format/time'

/** What one asked to be told, until it is seen. */
const { data, refresh } = useResource(() => api.get<Notice[]>('/notices'), { topics: ['estate'] })
async function seen(): Promise<void> {
  if (await attempt(() => api.post('/notices/seen'))) await refresh()
}
</script>

<template>
  <section v-if="data?.length" aria-label="Notices" class="told">
    <p v-for="notice in data.slice(0, 5)" :key="notice.id"><RouterLink v-if="notice.deviceId" :to="`/estate/${notice.deviceId}`">{{ notice.text }}</RouterLink><template v-else>{{ notice.text }}</template> <span class="muted" :title="exactText(notice.at)">{{ shortText(notice.at) }}</span></p>
    <p class="muted">
      <template v-if="data.length > 5">and {{ data.length - 5 }} more. </template>
      <button class="link" @click="seen">mark as seen</button>
    </p>
  </section>
</template>

<style scoped>
.told {
  border-left: 2px solid var(--act);
  padding-left: 10px;
  margin-top: 8px;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
}
</style>
