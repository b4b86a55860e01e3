<script setup lang="ts">
import type { TemplatePage } from '#contract'
import { api } from '../../parts/api'
import { attempt, done } from '../../parts/notify'
import { useSession } from '../../parts/session'
import { fullText } from '../../parts/time'

defineProps<{ page: TemplatePage; tab: string }>()
const emit = defineEmits<{ changed: [] }>()
const session = useSession()
async function remove(path: string, said: string): Promise<void> {
  if (!confirm('Take it away? The devices follow at once.')) return
  if (await attempt(() => api.delete(path))) {
    done(said)
    emit('changed')
  }
}
const valuesText = (values: Record<string, unknown>) => Object.entries(values).map(([name, value]) => `${name} ${JSON.stringify(value)}`).join(', ')
</script>

<template>
  <template v-if="tab === 'Where it applies'">
    <table v-if="page.assignments.length" class="board"><thead><tr><th>Target</th><th class="num">Devices</th><th>Own values</th><th>Why</th><th>By</th><th></th></tr></thead>
      <tbody><tr v-for="one in page.assignments" :key="one.id"><td>{{ one.targetText }}<span v-if="one.dormant" class="muted"> (dormant)</span></td><td class="num">{{ one.deviceCount }}</td><td class="muted">{{ Object.entries(one.values).map(([key, values]) => `${key}: ${valuesText(values)}`).join('; ') }}</td><td class="muted">{{ one.reason }}</td><td class="muted">{{ one.createdBy }}</td><td class="num"><button v-if="session.isLead" class="link" @click="remove(`/assignments/${one.id}`, 'Taken away.')">take away</button></td></tr></tbody></table>
    <p v-else class="muted pad">It is assigned to nothing, so no device gets it.</p>
  </template>
  <template v-else-if="tab === 'Exceptions'">
    <table v-if="page.exceptions.length" class="board"><thead><tr><th>For</th><th>Watch</th><th>What</th><th>Why</th><th>By</th><th></th></tr></thead>
      <tbody><tr v-for="one in page.exceptions" :key="one.id"><td>{{ one.targetText }}</td><td class="mono">{{ one.watch }}</td><td>{{ one.leftOut ? 'left out' : valuesText(one.values) }}</td><td class="muted">{{ one.reason }}</td><td class="muted">{{ one.createdBy }}, {{ fullText(one.createdAt) }}</td><td class="num"><button class="link" @click="remove(`/exceptions/${one.id}`, 'The exception is gone.')">take back</button></td></tr></tbody></table>
    <p v-else class="muted pad">No exception stands on its watches.</p>
  </template>
  <table v-else class="board"><thead><tr><th class="num">Revision</th><th>When</th><th>By</th><th>What</th></tr></thead>
    <tbody><tr v-for="one in page.revisions" :key="one.revision"><td class="num">{{ one.revision }}</td><td>{{ fullText(one.savedAt) }}</td><td>{{ one.savedBy }}</td><td class="muted">{{ one.note }}</td></tr></tbody></table>
</template>

<style scoped>
.pad { padding: 14px 0; }
</style>
