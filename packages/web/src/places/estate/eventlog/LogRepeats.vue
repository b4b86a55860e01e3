<script setup lang="ts">
import type { LogGroup, LogGroups } from '#contract'
import { countText, numberText, type LogLevel } from '#core'
import { useSession } from '../../../parts/data/session'
import { exactText, fullText } from '../../../parts/format/time'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import TextButton from '../../../parts/ui/TextButton.vue'
import { levelClass } from './logFilter'

/** Entries that say the same but for their numbers, with how many there are. */
defineProps<{ found: LogGroups }>()
const emit = defineEmits<{ narrow: [group: LogGroup]; watch: [group: LogGroup] }>()
const session = useSession()
const columns = [
  { key: 'entries', title: 'Times', align: 'right', width: 70 },
  { key: 'devices', title: 'Devices', align: 'right', width: 75 },
  { key: 'source', title: 'Source', width: 190 },
  { key: 'level', title: 'Level', width: 100 },
  { key: 'text', title: 'What it says', width: 300, grow: 1 },
  { key: 'last', title: 'Last', width: 128 },
  { key: 'do', hint: 'What can be done', width: 110, align: 'right' },
] as const
const keyOf = ({ channel, source, id, level, text }: LogGroup) => JSON.stringify([channel, source, id, level, text])
</script>

<template>
  <ShortTable label="Entries that repeat, most first" :rows="found.groups" :columns="columns" :row-key="keyOf">
    <template #entries="{ row }">{{ row.entries ? numberText(row.entries) : '' }}</template>
    <template #devices="{ row }"><span class="muted">{{ row.devices ? numberText(row.devices) : '' }}</span></template>
    <template #source="{ row }"><span class="mono name">{{ row.source }}</span> <span v-if="row.id !== null" class="mono">{{ row.id }}</span> <span class="muted name">{{ row.channel }}</span></template>
    <template #level="{ row }"><span v-if="row.level" :class="levelClass(row.level as LogLevel)">{{ row.level }}</span></template>
    <template #text="{ row }"><TextButton v-if="row.level" title="Show them" @click="emit('narrow', row)">{{ row.text || 'no text' }}</TextButton></template>
    <template #last="{ row }"><span v-if="row.lastAt" class="muted" :title="`First ${exactText(row.firstAt)}, last ${exactText(row.lastAt)}`">{{ fullText(row.lastAt) }}</span></template>
    <template #do="{ row }"><button v-if="row.level && session.isStaff" class="link" @click="emit('watch', row)">Watch for it…</button></template>
  </ShortTable>
  <p v-if="found.groupCount > found.groups.length" class="muted note">The {{ found.groups.length }} most frequent of {{ countText(found.groupCount, 'kind') }}. Narrow the search to see the others.</p>
</template>

<style scoped>
.name {
  overflow-wrap: anywhere;
}
.note {
  margin: 10px 0;
}
</style>
