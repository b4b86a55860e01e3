<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import { factLimits, type AlertView, type DevicePage, type RosterWatch } from '#contract'
import { bytesText, choiceName, countText, percentText, processAsked, processWatching, type RunningProgram } from '#core'
import { api } from '../../../parts/data/api'
import { doubtOf } from '../../../parts/data/known'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import DoubtText from '../../../parts/ui/DoubtText.vue'
import SeverityMark from '../../../parts/ui/SeverityMark.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import TextButton from '../../../parts/ui/TextButton.vue'
import { nameInAddress } from '../readings/subjects'
import WatchProcessDialog from './WatchProcessDialog.vue'

/** The processes that are watched on a device, as they are now, and what else runs, to pick from. */
const props = defineProps<{ device: DevicePage; alerts: readonly AlertView[] }>()
const session = useSession()
const roster = useResource(() => api.get<RosterWatch[]>(`/devices/${props.device.id}/roster`), {
  topics: ['policy', 'estate'],
  deviceId: () => props.device.id,
})
const readings = computed(() => {
  const found = new Map<string, number>()
  for (const [metric, instance, value] of props.device.latest?.readings ?? []) found.set(`${metric}|${instance}`, value)
  return found
})

interface Watched {
  key: string
  name: string
  about: string
  count: number | undefined
  cpu: number | undefined
  memory: number | undefined
  severity: AlertView['severity'] | undefined
}
const watched = computed((): Watched[] => {
  const found = (roster.data.value ?? []).flatMap(({ key, kind, values, name, standing }) => {
    const choice = standing === 'active' ? processAsked(kind, values) : null
    if (!choice) return []
    const about = choiceName(choice)
    const open = props.alerts.find((alert) => alert.watch === key && alert.status !== 'closed')
    const of = (metric: string) => readings.value.get(`${metric}|${about}`)
    return [
      {
        key,
        name,
        about,
        count: of('process.count'),
        cpu: of('process.cpu'),
        memory: of('process.memory'),
        severity: open?.severity,
      },
    ]
  })
  // What needs somebody stands first.
  return found.sort((a, b) => Number(!a.severity) - Number(!b.severity) || a.about.localeCompare(b.about))
})
const watchedColumns = [
  { key: 'about', title: 'Process', sortBy: ({ about }: Watched) => about, grow: 2 },
  { key: 'count', title: 'Run', sortBy: ({ count }: Watched) => count ?? -1, align: 'right' },
  { key: 'cpu', title: 'CPU, of a core', sortBy: ({ cpu }: Watched) => cpu ?? -1, align: 'right' },
  { key: 'memory', title: 'Memory', sortBy: ({ memory }: Watched) => memory ?? -1, align: 'right' },
  { key: 'name', title: 'Watch', sortBy: ({ name }: Watched) => name },
] as const
const seriesOf = (about: string) => ({
  query: { open: nameInAddress({ metric: 'process.count', instance: about }) },
  hash: '#readings',
})
const notTold = 'not told'

interface Row extends RunningProgram {
  id: string
  watch: RosterWatch | null
}
const words = ref('')
const rows = computed((): Row[] =>
  (props.device.facts.programs ?? []).map((program, i) => ({
    ...program,
    id: String(i),
    watch: processWatching({ names: [program.name], ...program }, roster.data.value ?? []),
  })),
)
const shown = computed(() => {
  const wanted = words.value.trim().toLowerCase()
  return rows.value.filter(({ name, path, arguments: all, user }) => [name, path, all, user].join(' ').toLowerCase().includes(wanted))
})
const columns = computed(() => [
  { key: 'name', title: 'Name', sortBy: ({ name }: Row) => name },
  { key: 'line', title: 'Command line', sortBy: ({ arguments: all, path }: Row) => all ?? path ?? '', grow: 3 },
  { key: 'user', title: 'User', sortBy: ({ user }: Row) => user ?? '' },
  { key: 'watch', title: 'Watched by', sortBy: ({ watch }: Row) => watch?.name ?? '' },
  ...(session.mayChange ? [{ key: 'do', title: '' }] : []),
])
const isCut = computed(() => rows.value.length >= factLimits.programs)
const picked = ref<RunningProgram | null>(null)
const emptyText = computed(() => {
  if (!props.device.facts.programs) return 'What runs here was not told yet: agents tell it from version 0.13.0 on.'
  if (!rows.value.length) return 'Nothing has run for some minutes when it last told.'
  return shown.value.length ? '' : `None of ${countText(rows.value.length, 'program')} has these words.`
})
function closed(): void {
  picked.value = null
  void roster.refresh()
}
</script>

<template>
  <template v-if="watched.length">
    <h2 class="top">Watched <DoubtText :doubt="doubtOf(device, 'processes', true)" /></h2>
    <ShortTable label="Processes that are watched" :rows="watched" :columns="watchedColumns" row-key="key" sort-name="watched">
      <template #about="{ row }"><SeverityMark v-if="row.severity" :state="row.severity" /> <RouterLink v-if="row.about" class="mono name" :to="seriesOf(row.about)">{{ row.about }}</RouterLink></template>
      <template #count="{ row }"><span :class="{ faint: row.count === undefined }">{{ row.count ?? notTold }}</span></template>
      <template #cpu="{ row }"><span v-if="row.cpu !== undefined">{{ percentText(row.cpu) }}</span></template>
      <template #memory="{ row }"><span v-if="row.memory !== undefined">{{ bytesText(row.memory) }}</span></template>
      <template #name="{ row }"><RouterLink v-if="row.key" class="quiet" :to="{ path: `/estate/${device.id}/why`, query: { watch: row.key } }">{{ row.name }}</RouterLink></template>
    </ShortTable>
  </template>
  <div class="bar">
    <h2>What runs</h2>
    <span class="faint">for two minutes or more, as told once an hour; secrets on command lines are left out{{ isCut ? `; the first ${factLimits.programs} by name, there may be more` : '' }}</span>
    <ElInput v-model="words" aria-label="Narrow by words" placeholder="narrow by words" clearable class="narrow" />
  </div>
  <StateNotice :error="null" :loading="false" :empty="emptyText" />
  <ShortTable v-if="shown.length" label="What runs" :rows="shown" :columns="columns" row-key="id" sort-name="by">
    <template #name="{ row }"><span class="mono name">{{ row.name }}</span></template>
    <template #line="{ row }"><span class="mono muted name">{{ row.arguments ?? row.path }}</span></template>
    <template #user="{ row }"><span class="mono muted">{{ row.user }}</span></template>
    <template #watch="{ row }"><RouterLink v-if="row.watch" class="quiet" :to="{ path: `/estate/${device.id}/why`, query: { watch: row.watch.key } }">{{ row.watch.name }}</RouterLink><span v-else class="faint">none</span></template>
    <template #do="{ row }"><TextButton v-if="row.name" @click="picked = row">Watch…<span class="visually-hidden"> {{ row.name }}</span></TextButton></template>
  </ShortTable>
  <WatchProcessDialog v-if="picked" :device="device" :program="picked" @close="closed" />
</template>

<style scoped>
.top {
  margin: 14px 0 6px;
}
.bar {
  display: flex;
  gap: 10px;
  align-items: baseline;
  padding: 10px 0 6px;
}
.narrow {
  width: 200px;
  margin-left: auto;
}
.name {
  overflow-wrap: anywhere;
}
.quiet {
  color: inherit;
}
</style>
