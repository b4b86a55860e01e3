<script setup lang="ts">
import type { CollectRuleView } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { attempt, done } from '../../../parts/ui/notify'
import { useResource } from '../../../parts/data/resource'
import { exactText, fullText } from '../../../parts/format/time'
import ShortTable from '../../../parts/ui/ShortTable.vue'

const { data, refresh } = useResource(() => api.get<CollectRuleView[]>('/collect-rules'), { topics: ['policy'] })
async function remove(rule: CollectRuleView): Promise<void> {
  if (!(await attempt(() => api.delete(`/collect-rules/${rule.id}`)))) return
  done('Agents stop collecting it; what was collected stays.')
  await refresh()
}
const columns = [
  { key: 'what', title: 'What' },
  { key: 'on', title: 'Where' },
  { key: 'by', title: 'Made by' },
  { key: 'acts', align: 'right' },
] as const
</script>

<template>
  <details v-if="data?.length" class="more">
    <summary>{{ countText(data.length, 'rule') }} for collecting more than the ordinary</summary>
    <ShortTable label="Rules for collecting" :rows="data" :columns="columns" row-key="id">
      <template #what="{ row: rule }"><span class="mono">{{ [...rule.logs, ...rule.collectors].join(', ') }}</span></template>
      <template #on="{ row: rule }">on {{ rule.targetText }} <span class="faint">{{ countText(rule.devices, 'device') }}</span></template>
      <template #by="{ row: rule }"><span class="muted" :title="exactText(rule.at)">{{ rule.by }}, {{ fullText(rule.at) }}</span></template>
      <template #acts="{ row: rule }"><button class="link" @click="remove(rule)">stop collecting it</button></template>
    </ShortTable>
  </details>
</template>

<style scoped>
.more {
  margin-top: 18px;
}
summary {
  cursor: pointer;
  color: var(--act);
}
</style>
