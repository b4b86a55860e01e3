<script setup lang="ts">
import { computed, ref } from 'vue'
import type { SeriesMarks } from '#contract'
import type { Millis, Severity } from '#core'
import { fullText } from '../../../parts/format/time'
import SeverityMark from '../../../parts/ui/SeverityMark.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import { seriesText } from './subjects'

/** What happened to a device while it was read, the newest first. */
const props = defineProps<{ marks: SeriesMarks; metric: string }>()
interface Row {
  key: string
  from: Millis
  until: Millis | null
  lasts: boolean
  text: string
  to: string | null
  state: Severity | 'held' | null
}
const rows = computed(() => {
  const { alerts, windows, restarts, updates } = props.marks
  const list: Row[] = [
    ...alerts.map((alert) => ({
      key: `alert ${alert.id}`,
      from: alert.from,
      until: alert.until,
      lasts: true,
      text: alert.text,
      to: `/alerts/${alert.id}`,
      state: alert.severity,
    })),
    ...windows.map(({ id, name, from, until }) => ({
      key: `window ${id} ${from}`,
      from,
      until,
      lasts: true,
      text: name,
      to: `/maintenance/${id}`,
      state: 'held' as const,
    })),
    ...restarts.map((at) => ({ key: `restart ${at}`, from: at, until: at, lasts: false, text: 'restarted', to: null, state: null })),
    ...updates.map(({ at, names }) => ({
      key: `updates ${at}`,
      from: at,
      until: at,
      lasts: false,
      text: `installed ${names.join(', ')}`,
      to: null,
      state: null,
    })),
  ]
  return list.sort((a, b) => b.from - a.from)
})
/** What comes again and again would fill the page. */
const few = 12
const all = ref(false)
const shown = computed(() => (all.value ? rows.value : rows.value.slice(0, few)))
const columns = [
  { key: 'from', title: 'from' },
  { key: 'until', title: 'until' },
  { key: 'what', title: 'Meanwhile', grow: 1 },
] as const
const levels = computed(() => props.marks.levels.toSorted((a, b) => a.from - b.from))
</script>

<template>
  <ShortTable v-if="rows.length" label="What happened meanwhile" :rows="shown" :columns="columns" row-key="key">
    <template #from="{ row }">{{ row.from ? fullText(row.from) : '' }}</template>
    <template #until="{ row }">{{ row.lasts ? (row.until === null ? 'still' : fullText(row.until)) : '' }}</template>
    <template #what="{ row }"><SeverityMark v-if="row.state" :state="row.state" />{{ ' ' }}<RouterLink v-if="row.to" :to="row.to">{{ row.text }}</RouterLink><template v-else>{{ row.text }}</template></template>
  </ShortTable>
  <p v-if="rows.length > shown.length"><button class="link" @click="all = true">{{ rows.length - shown.length }} earlier ones</button></p>
  <p v-if="!rows.length" class="muted">No alert, window, restart or update in this time.</p>
  <p v-if="marks.moreAlerts" class="muted">{{ marks.moreAlerts }} further alerts of other things are not drawn.</p>
  <p v-if="levels.length" class="muted levels">Levels in force:
    <template v-for="(level, i) in levels" :key="i">{{ i ? '; ' : '' }}{{ level.severity }} at {{ seriesText(metric, level.value) }} from {{ fullText(level.from) }}</template>{{ marks.levelsFrom === null ? '.' : `. Before ${fullText(marks.levelsFrom)} they are not told: they were changed too often.` }}</p>
</template>

<style scoped>
.levels {
  margin-top: 8px;
}
</style>
