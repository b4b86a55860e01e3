<script setup lang="ts">
import type { CollectRuleView } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { attempt, done } from '../../../parts/ui/notify'
import { useResource } from '../../../parts/data/resource'
import { exactText, fullText } from '../../../parts/format/time'

const { data, refresh } = useResource(() => api.get<CollectRuleView[]>('/collect-rules'), { topics: ['policy'] })
async function remove(one: CollectRuleView): Promise<void> {
  if (!(await attempt(() => api.delete(`/collect-rules/${one.id}`)))) return
  done('Agents collect it no longer; what was collected stays.')
  await refresh()
}
</script>

<template>
  <details v-if="data?.length" class="more"><summary>{{ countText(data.length, 'rule') }} for collecting more than the ordinary</summary>
    <table class="board"><tbody><tr v-for="one in data" :key="one.id"><td class="mono">{{ [...one.logs, ...one.collectors].join(', ') }}</td><td>on {{ one.targetText }} <span class="faint">{{ countText(one.devices, 'device') }}</span></td><td class="muted" :title="exactText(one.at)">{{ one.by }}, {{ fullText(one.at) }}</td><td class="num"><button class="link" @click="remove(one)">collect it no longer</button></td></tr></tbody></table>
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
