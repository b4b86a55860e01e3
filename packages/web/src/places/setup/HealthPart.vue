<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import type { Health } from '#contract'
import { bytesText, numberText } from '#core'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { queueWords, troublePart, troubleText } from '../../parts/format/healthWords'
import { age, exactText, fullText } from '../../parts/format/time'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import ShortTable from '../../parts/ui/ShortTable.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'

/** How the server itself does. */
const { data: health, error, refresh } = useResource(() => api.get<Health>('/health'), { topics: ['callouts'] })
useIntervalFn(() => void refresh(), 15_000)
const faultColumns = [
  { key: 'last', title: 'Last', width: 120 },
  { key: 'place', title: 'Where', width: 150 },
  { key: 'message', title: 'What it said', grow: 3, width: 400 },
  { key: 'times', title: 'Times', width: 70, align: 'right' },
] as const
</script>

<template>
  <div>
    <StateNotice :error="error" :loading="!health" @again="refresh" />
    <template v-if="health">
      <ul v-if="health.troubles.length" aria-label="Not well">
        <li v-for="(trouble, i) in health.troubles" :key="i"><SeverityMark state="warning" /> <span>{{ troubleText(trouble) }} <RouterLink v-if="troublePart(trouble) !== 'health'" :to="`/setup?part=${troublePart(trouble)}`">See to it</RouterLink></span></li>
      </ul>
      <p v-else class="well"><SeverityMark state="settled" /> All is well.</p>
      <h2>Public address</h2>
      <p><span class="mono">{{ health.address }}</span> <span class="faint">is in every mail, invitation and command to install an agent; CUSTODE_ADDRESS says so.</span></p>
      <h2>Processes</h2>
      <p v-for="(each, i) in health.processes" :key="i">{{ each.name }}<span class="muted">{{ each.version ? `, version ${each.version}` : '' }}, up for <span :title="exactText(each.startedAt)">{{ age(each.startedAt) }}</span></span></p>
      <h2>Database</h2>
      <p>PostgreSQL {{ health.database.version }}, {{ bytesText(health.database.bytes) }}; answers in {{ numberText(Math.max(1, Math.round(health.database.answersIn))) }} ms; {{ health.database.connections }} of {{ health.database.mostConnections }} connections in use. <RouterLink to="/setup?part=storage">What is how large</RouterLink></p>
      <h2>Waiting</h2>
      <p v-for="queue in health.queues" :key="queue.name">{{ queueWords[queue.name] }}: <b>{{ numberText(queue.waiting) }}</b><span v-if="queue.oldestAt" class="muted">, the oldest since {{ fullText(queue.oldestAt) }}</span></p>
      <h2>What failed in the last day</h2>
      <p v-if="!health.faults.length" class="muted">Nothing.</p>
      <ShortTable v-else label="What failed" :rows="health.faults" :columns="faultColumns" :row-key="(row) => `${row.place} ${row.message}`" even>
        <template #last="{ row }"><time :title="exactText(row.lastAt)">{{ fullText(row.lastAt) }}</time></template>
        <template #place="{ row }">{{ row.place }}</template>
        <template #message="{ row }"><span class="mono">{{ row.message }}</span></template>
        <template #times="{ row }">{{ numberText(row.times) }}</template>
      </ShortTable>
    </template>
  </div>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 12px 0;
  padding: 0;
}
li,
.well {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.well {
  margin: 12px 0;
}
h2 {
  margin: 16px 0 4px;
}
</style>
