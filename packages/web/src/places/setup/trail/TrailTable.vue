<script setup lang="ts">
import { computed } from 'vue'
import type { AuditLine } from '#contract'
import { exactText, fullText } from '../../../parts/format/time'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import { doneText, pathOf, told, whatText } from './trailWords'

/** Lines of the audit trail. `one`: all of one thing, which need not be named again. */
const props = defineProps<{ label: string; rows: readonly AuditLine[]; one?: boolean }>()
const all = [
  { key: 'at', title: 'When', width: 150 },
  { key: 'who', title: 'Who', width: 150 },
  { key: 'what', title: 'Did what', grow: 2, width: 260 },
  { key: 'changes', title: 'From what to what', grow: 3, width: 340 },
  { key: 'client', title: 'Client', width: 150 },
  { key: 'address', title: 'From where', width: 130 },
] as const
/** What it was done to is said, but for oneself, and for the one thing that all of it is of. */
const isNamed = (line: AuditLine) =>
  !(props.one && line.kind === 'device') && !(line.kind === 'person' && line.name === line.by)
const columns = computed(() => all.filter(({ key }) => !props.one || key !== 'client'))
</script>

<template>
  <ShortTable :label="label" :rows="rows" :columns="columns" row-key="id">
    <template #at="{ row: line }"><span :title="exactText(line.at)">{{ fullText(line.at) }}</span></template>
    <template #who="{ row: line }"><b v-if="line.by">{{ line.by }}</b><span v-else class="muted">the server</span></template>
    <template #what="{ row: line }">{{ doneText(line) }}<template v-if="isNamed(line)">{{ ' ' }}<span class="muted">{{ line.kind }}</span>{{ ' ' }}
      <RouterLink v-if="line.name && pathOf(line)" :to="pathOf(line)!" class="in-text">{{ line.name }}</RouterLink><template v-else>{{ line.name }}</template></template></template>
    <template #changes="{ row: line }"><ul v-if="told(line).length"><li v-for="change in told(line)" :key="change.what"><span class="muted">{{ whatText(change.what) }}</span>{{ ' ' }}
          <template v-if="change.before"><s>{{ change.before }}</s> → </template>{{ change.after ?? 'nothing' }}</li></ul></template>
    <template #client="{ row: line }"><span class="muted">{{ line.clientName }}</span></template>
    <template #address="{ row: line }"><span class="mono">{{ line.address }}</span></template>
  </ShortTable>
</template>

<style scoped>
/* Among other words: told apart by more than its colour. */
.in-text {
  text-decoration: underline;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  overflow-wrap: anywhere;
}
s {
  color: var(--ink3);
}
</style>
