<script setup lang="ts">
import type { LogEntry } from '#contract'
import type { LogLevel } from '#core'
import { exactText, fullText } from '../../../parts/format/time'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import TextButton from '../../../parts/ui/TextButton.vue'
import { levelClass } from './logFilter'

const props = defineProps<{ entries: readonly LogEntry[]; ofDevice: boolean }>()
const emit = defineEmits<{ open: [entry: LogEntry]; source: [source: string] }>()
const columns = [
  { key: 'at', title: 'Time', width: 128 },
  ...(props.ofDevice ? [] : [{ key: 'device', title: 'Device', width: 210 }]),
  { key: 'channel', title: 'Log', width: 90 },
  { key: 'source', title: 'Source', width: 190 },
  { key: 'id', title: 'Id', width: 60 },
  { key: 'level', title: 'Level', width: 100 },
  { key: 'text', title: 'Entry', width: 300, grow: 1 as const },
]
</script>

<template>
  <ShortTable label="Log entries, newest first" :rows="entries" :columns="columns" row-key="key">
    <template #at="{ row }"><span v-if="row.at" class="muted" :title="exactText(row.at)">{{ fullText(row.at) }}</span></template>
    <template #device="{ row }"><RouterLink v-if="row.deviceId" class="mono" :to="`/estate/${row.deviceId}`" :title="row.clientName">{{ row.deviceName }}</RouterLink></template>
    <template #channel="{ row }"><span class="muted name">{{ row.channel }}</span></template>
    <template #source="{ row }"><TextButton v-if="row.source" class="mono" :title="`Only of ${row.source}`" @click="emit('source', row.source)">{{ row.source }}</TextButton></template>
    <template #id="{ row }"><span class="mono">{{ row.id ?? '' }}</span></template>
    <template #level="{ row }"><span v-if="row.level" :class="levelClass(row.level as LogLevel)">{{ row.level }}</span></template>
    <template #text="{ row }"><TextButton v-if="row.key" title="All of it" @click="emit('open', row)">{{ row.text || 'no text' }}</TextButton></template>
  </ShortTable>
</template>

<style scoped>
.name {
  overflow-wrap: anywhere;
}
.mono {
  font-size: 13px;
}
</style>
