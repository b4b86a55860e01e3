<script setup lang="ts">
import type { WindowView } from '#contract'
import { isCalledOff, isOpen, isOver, repeatWords, windowEnd } from '#core'
import { api } from '../../parts/data/api'
import { attempt, done } from '../../parts/ui/notify'
import { useSession } from '../../parts/data/session'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import { age, exactText, fullText, now } from '../../parts/format/time'
import { subjectText } from './subjectWords'
import ShortTable from '../../parts/ui/ShortTable.vue'
import type { ShortColumn } from '../../parts/ui/table'

defineProps<{ windows: WindowView[] }>()
const session = useSession()
const inForce = (window: WindowView) => isOpen(window, now.value)
/** Of one that repeats the time that is told, of any other the window itself. */
async function end(window: WindowView): Promise<void> {
  const isSkipped = window.rule !== null && window.from > now.value
  const act =
    window.rule === null
      ? () => api.post(`/windows/${window.id}/end`, { why: '' })
      : () =>
          api.post(`/windows/${window.id}/occurrence`, { do: isSkipped ? 'skip' : 'end', start: window.start, why: '' })
  if (await attempt(act))
    done(
      isSkipped
        ? `Skipped on ${fullText(window.from)}.`
        : window.from > now.value
          ? 'Cancelled.'
          : 'Ended. What still fails is raised now.',
    )
}
const actText = (window: WindowView) => (inForce(window) ? 'End now' : window.rule === null ? 'Cancel it' : 'Skip it')
const isDue = (window: WindowView) => window.reviewAt !== null && window.reviewAt < now.value
const columns: ShortColumn<WindowView>[] = [
  { key: 'mark', hint: 'In force', width: 34 },
  { key: 'name', title: 'Window', width: 200 },
  { key: 'holds', title: 'Holds', width: 220, grow: 1 },
  { key: 'from', title: 'From', width: 132 },
  { key: 'until', title: 'Until', width: 132 },
  { key: 'repeats', title: 'Repeats', width: 170 },
  { key: 'devices', title: 'Devices', width: 70, align: 'right' },
  { key: 'held', title: 'Held', width: 62, align: 'right' },
  { key: 'by', title: 'Owner', width: 96 },
  { key: 'acts', width: 96, align: 'right', tight: true },
]
</script>

<template>
  <ShortTable label="Windows" :rows="windows" :columns="columns" row-key="id" even>
    <template #mark="{ row: window }"><SeverityMark :state="inForce(window) ? 'held' : null" /></template>
    <template #name="{ row: window }"><RouterLink :to="`/maintenance/${window.id}`">{{ window.name }}</RouterLink></template>
    <template #holds="{ row: window }"><span class="muted">{{ subjectText(window.subject) }} of {{ window.targetText }}</span></template>
    <template #from="{ row: window }"><span :title="exactText(window.from, window.zone)">{{ fullText(window.from) }}</span></template>
    <template #until="{ row: window }"><span
      v-if="isCalledOff(window)"
      class="muted"
    >cancelled by {{ window.endedBy }}</span>
            <template v-else-if="windowEnd(window)">
              <span :title="exactText(windowEnd(window)!, window.zone)">{{ fullText(windowEnd(window)!) }}</span>
              <span v-if="window.endedAt" class="muted"> by {{ window.endedBy }}</span>
            </template>
            <span v-else class="warning">no end, for {{ age(window.from) }}</span></template>
    <template #repeats="{ row: window }"><span class="muted">{{ window.rule ? repeatWords(window.rule) : '' }}</span>
            <span v-if="isDue(window)" class="warning"> to review</span></template>
    <template #devices="{ row: window }">{{ window.deviceCount }}</template>
    <template #held="{ row: window }"><span v-if="inForce(window)" class="held">{{ window.heldNow }} now</span>
            <template v-else>{{ window.heldTotal || '' }}</template></template>
    <template #by="{ row: window }"><span class="muted">{{ window.owner ?? window.createdBy }}</span></template>
    <template #acts="{ row: window }"><button
      v-if="session.mayChange && !isOver(window, now)"
      class="btn"
      @click="end(window)"
    >{{ actText(window) }}</button></template>
  </ShortTable>
</template>

<style scoped>
.btn {
  padding: 0 9px;
}
</style>
