<script setup lang="ts">
import { computed } from 'vue'
import type { AlertView } from '#contract'
import { api } from '../../parts/data/api'
import { useNewestFirst } from '../../parts/data/parts'
import { alertWords } from '../../parts/format/alertWords'
import { fullText } from '../../parts/format/time'
import SeverityMark from '../../parts/ui/SeverityMark.vue'

/** The alerts that one carries: each is within reach, and counted. */
const props = defineProps<{ alert: AlertView }>()
const members = useNewestFirst<AlertView>((query) => api.get(`/alerts/${props.alert.id}/members?${query}`), {
  topics: ['alerts'],
})
const rows = computed(() => members.data.value ?? [])
</script>

<template>
  <section aria-label="What it carries">
    <h3>It carries</h3>
    <p v-for="row in rows" :key="row.id" class="line">
      <SeverityMark :state="row.status === 'closed' ? 'settled' : row.severity" />
      <RouterLink :to="`/alerts/${row.id}`"><span class="mono">{{ row.deviceName }}</span> <b>{{ alertWords(row).strong }}</b> {{ alertWords(row).rest }}</RouterLink>
      <span class="muted">{{ row.closedAt ? `until ${fullText(row.closedAt)}` : `since ${fullText(row.began)}` }}<template v-if="row.members"> · carries {{ row.members }} more</template></span>
    </p>
    <p v-if="members.hasMore.value"><button class="link" @click="members.more">older ones</button></p>
  </section>
</template>

<style scoped>
h3 {
  margin: 14px 0 4px;
}
.line {
  display: grid;
  grid-template-columns: 13px 1fr auto;
  gap: 10px;
  align-items: baseline;
  padding: 2px 0;
}
</style>
