<script setup lang="ts">
import { computed, toRef } from 'vue'
import type { UncoveredAlert, UncoveredList } from '#contract'
import type { WindowSubject } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { zonedText, zoneTitle } from '../../../parts/format/time'
import SeverityMark from '../../../parts/ui/SeverityMark.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import { fittingSubject } from './fitting'

/** What failed while a time of a window was in force, and was not held by it; with one action that makes it fit. */
const props = defineProps<{
  windowId: number
  occurrence: number
  subject: WindowSubject
  mayChange: boolean
  zone: string
}>()
const emit = defineEmits<{ fit: [subject: WindowSubject] }>()
const found = useResource(
  () => api.get<UncoveredList>(`/windows/${props.windowId}/uncovered?occurrence=${props.occurrence}`),
  { sources: [toRef(props, 'occurrence')] },
)
const fitting = computed(() => fittingSubject(props.subject, found.data.value?.alerts ?? []))
const columns = computed(() => [
  { key: 'mark', hint: 'Severity', width: 30 },
  { key: 'text', title: 'What' },
  { key: 'device', title: 'Device' },
  { key: 'raised', title: zoneTitle('Raised', props.zone) },
])
const severityOf = (alert: UncoveredAlert) => alert.severity
</script>

<template>
  <template v-if="found.data.value?.total">
    <h2>Not covered, though it failed then <span class="faint">{{ found.data.value.total }}</span></h2>
    <ShortTable label="What was not covered" :rows="found.data.value.alerts" :columns="columns" row-key="alertId">
      <template #mark="{ row }"><SeverityMark :state="severityOf(row)" /></template>
      <template #text="{ row }"><RouterLink :to="`/rounds?alert=${row.alertId}`">{{ row.text }}</RouterLink></template>
      <template #device="{ row }"><RouterLink
        class="mono"
        :to="`/estate/${row.deviceId}`"
      >{{ row.deviceName }}</RouterLink></template>
      <template #raised="{ row }">{{ zonedText(row.raisedAt, zone) }}</template>
    </ShortTable>
    <p
      v-if="found.data.value.total > found.data.value.alerts.length"
      class="muted"
    >The newest {{ found.data.value.alerts.length }} of {{ found.data.value.total }}.</p>
    <p v-if="fitting && mayChange"><button
      class="btn"
      @click="emit('fit', fitting)"
    >Fit the window to hold these too</button></p>
    <p
      v-else-if="!fitting"
      class="muted"
    >Its subject names them: they were open before it began, or came from reports of before.</p>
  </template>
</template>

<style scoped>
h2 {
  margin: 18px 0 4px;
}
</style>
