<script setup lang="ts">
import { computed, ref } from 'vue'
import type { LogVolumes } from '#contract'
import { logLevelCode, numberText, percentText, proposeFloors, type LogProposal, type LogVolume } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import KeepDialog from './KeepDialog.vue'

/** How much is written, by log and level, what of it a watch looks for, and what nobody would miss. */
const props = defineProps<{ deviceId: number | null }>()
const session = useSession()
const clientId = computed(() => session.clientId)
const { data, error, refresh } = useResource(
  () => {
    const query = new URLSearchParams()
    if (props.deviceId !== null) query.set('device', String(props.deviceId))
    else if (clientId.value !== null) query.set('client', String(clientId.value))
    return api.get<LogVolumes>(`/log/volume?${query}`)
  },
  { sources: [clientId] },
)
interface Log {
  channel: string
  entries: number
  devices: number
  watched: number
  levels: LogVolume[]
  proposal: LogProposal | undefined
}
const logs = computed((): Log[] => {
  const volumes = data.value?.volumes ?? []
  const proposals = new Map(proposeFloors(volumes).map((proposal) => [proposal.channel, proposal]))
  const sum = (levels: readonly LogVolume[], of: (volume: LogVolume) => number) => levels.reduce((total, level) => total + of(level), 0)
  return [...new Set(volumes.map(({ channel }) => channel))]
    .map((channel) => {
      const levels = volumes.filter((volume) => volume.channel === channel)
      return {
        channel,
        levels: levels.toSorted((a, b) => logLevelCode(a.level) - logLevelCode(b.level)),
        entries: sum(levels, ({ entries }) => entries),
        watched: sum(levels, ({ watched }) => watched),
        devices: Math.max(...levels.map(({ devices }) => devices)),
        proposal: proposals.get(channel),
      }
    })
    .sort((a, b) => b.entries - a.entries)
})
const total = computed(() => logs.value.reduce((sum, { entries }) => sum + entries, 0))
const saved = computed(() => logs.value.reduce((sum, { proposal }) => sum + (proposal?.saves ?? 0), 0))
const columns = [
  { key: 'channel', title: 'Log', width: 150 },
  { key: 'entries', title: 'Entries in 24 h', align: 'right', width: 110 },
  { key: 'devices', title: 'Devices', align: 'right', width: 80 },
  { key: 'levels', title: 'By level', width: 220, grow: 1 },
  { key: 'watched', title: 'Looked for by a watch', align: 'right', width: 150 },
  { key: 'proposal', title: 'Nobody would miss', width: 250, grow: 1 },
] as const
const levelsText = ({ levels }: Pick<Log, 'levels'>) => levels.map(({ level, entries }) => `${numberText(entries)} ${level}`).join(', ')
const choosing = ref<string | null>(null)
</script>

<template>
  <StateNotice :error="error" :loading="!data" :empty="data && !logs.length ? 'No entry came within a day.' : ''" @again="refresh" />
  <template v-if="logs.length">
    <p class="muted">{{ numberText(total) }} entries came in 24 hours<template v-if="saved">; {{ numberText(saved) }} of them ({{ percentText(saved / total) }}) are quieter than a notice, of logs where that is most, and no watch looks for them</template>.</p>
    <ShortTable label="Entries of a day by log" :rows="logs" :columns="columns" row-key="channel">
      <template #channel="{ row }"><span class="name">{{ row.channel }}</span></template>
      <template #entries="{ row }">{{ row.levels ? numberText(row.entries) : '' }}</template>
      <template #devices="{ row }"><span class="muted">{{ row.levels ? numberText(row.devices) : '' }}</span></template>
      <template #levels="{ row }"><span class="muted">{{ row.levels ? levelsText(row) : '' }}</span></template>
      <template #watched="{ row }">{{ row.watched ? numberText(row.watched) : '' }}</template>
      <template #proposal="{ row }"><template v-if="row.levels"><span v-if="row.proposal">{{ numberText(row.proposal.saves) }} below {{ row.proposal.level }}</span>{{ ' ' }}
        <button v-if="session.isLead" class="link" @click="choosing = row.channel">Choose what is kept…</button></template></template>
    </ShortTable>
    <p class="muted note">What a watch of any template looks for is kept whatever its level. The devices are those that write at the level at which most of them do.</p>
  </template>
  <KeepDialog v-if="choosing !== null" :channel="choosing" :level="logs.find(({ channel }) => channel === choosing)?.proposal?.level ?? 'debug'" @close="choosing = null" />
</template>

<style scoped>
.name {
  overflow-wrap: anywhere;
}
.note {
  margin: 10px 0;
}
</style>
