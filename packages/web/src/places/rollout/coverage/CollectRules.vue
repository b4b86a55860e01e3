<script setup lang="ts">
import type { CollectRuleView } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { attempt, done } from '../../../parts/ui/notify'
import { useResource } from '../../../parts/data/resource'
import { exactText, fullText } from '../../../parts/format/time'

const { data, refresh } = useResource(() => api.get<CollectRuleView[]>('/collect-rules'), { topics: ['policy'] })
async function remove(rule: CollectRuleView): Promise<void> {
  if (!(await attempt(() => api.delete(`/collect-rules/${rule.id}`)))) return
  done('Agents stop collecting it; what was collected stays.')
  await refresh()
}
</script>

<template>
  <details v-if="data?.length" class="more">
    <summary>{{ countText(data.length, 'rule') }} for collecting more than the ordinary</summary>
    <table class="board">
      <tbody>
        <tr v-for="rule in data" :key="rule.id">
          <td class="mono">{{ [...rule.logs, ...rule.collectors].join(', ') }}</td>
          <td>on {{ rule.targetText }} <span class="faint">{{ countText(rule.devices, 'device') }}</span></td>
          <td class="muted" :title="exactText(rule.at)">{{ rule.by }}, {{ fullText(rule.at) }}</td>
          <td class="num"><button class="link" @click="remove(rule)">stop collecting it</button></td>
        </tr>
      </tbody>
    </table>
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
