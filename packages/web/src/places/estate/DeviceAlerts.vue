<script setup lang="ts">
import type { AlertView, HeldView, RemediationView } from '#contract'
import { alertWords, closeText, outcomeText, remediationWords } from '../../parts/format/alertWords'
import DoubtText from '../../parts/ui/DoubtText.vue'
import { postDoubt } from '../../parts/data/known'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import { exactText, fullText } from '../../parts/format/time'
import type { NewestFirst } from '../../parts/data/parts'
import ShortTable from '../../parts/ui/ShortTable.vue'

const props = defineProps<{
  alerts: NewestFirst<AlertView>
  held: NewestFirst<HeldView>
  remediations: NewestFirst<RemediationView>
}>()
const alerts = props.alerts.data
const held = props.held.data
const remediations = props.remediations.data
const alertColumns = [
  { key: 'mark', hint: 'State', width: 30 },
  { key: 'what', title: 'What' },
  { key: 'began', title: 'Began' },
  { key: 'raised', title: 'Raised' },
  { key: 'closed', title: 'Closed' },
  { key: 'by', title: 'By' },
] as const
const tried = [
  { key: 'mark', hint: 'State', width: 30 },
  { key: 'what', title: 'What' },
  { key: 'at', title: 'Began' },
  { key: 'how', title: 'What was done' },
  { key: 'outcome', title: 'Outcome' },
] as const
const heldColumns = [
  { key: 'mark', hint: 'State', width: 30 },
  { key: 'what', title: 'What' },
  { key: 'at', title: 'Held' },
  { key: 'window', title: 'Window' },
  { key: 'outcome', title: 'How it ended' },
] as const
</script>

<template>
  <ShortTable v-if="alerts?.length" label="Alerts" :rows="alerts" :columns="alertColumns" row-key="id">
    <template #mark="{ row: alert }"><SeverityMark :state="alert.status === 'closed' ? 'settled' : alert.severity" /></template>
    <template #what="{ row: alert }"><RouterLink :to="`/rounds?alert=${alert.id}`"><b>{{ alertWords(alert).strong }}</b>
              {{ alertWords(alert).rest }}</RouterLink> <DoubtText :doubt="postDoubt(alert)" /></template>
    <template #began="{ row: alert }"><span :title="exactText(alert.began)">{{ fullText(alert.began) }}</span></template>
    <template #raised="{ row: alert }">{{ fullText(alert.raisedAt) }}<span v-if="alert.windowName" class="muted"> at the end of {{ alert.windowName }}</span></template>
    <template #closed="{ row: alert }">{{ alert.closedAt ? `${fullText(alert.closedAt)}, ${closeText(alert.closeReason!)}` : alert.status }}</template>
    <template #by="{ row: alert }"><span class="muted">{{ alert.takenBy }}</span></template>
  </ShortTable>
  <p v-else-if="alerts" class="muted pad">This device has never raised an alert.</p>
  <p v-if="props.alerts.hasMore.value"><button class="link" @click="props.alerts.more">older alerts</button></p>
  <template v-if="remediations?.length">
    <h2>Tried before anybody was told</h2>
    <ShortTable label="Tried before anybody was told" :rows="remediations" :columns="tried" row-key="id">
      <template #mark="{ row: remediation }"><SeverityMark :state="remediation.outcome === 'cleared' ? 'settled' : remediation.endedAt ? null : remediation.severity" /></template>
      <template #what="{ row: remediation }"><b>{{ alertWords(remediation).strong }}</b> {{ alertWords(remediation).rest }}
                <DoubtText :doubt="postDoubt(remediation)" /></template>
      <template #at="{ row: remediation }"><span :title="exactText(remediation.startedAt)">{{ fullText(remediation.startedAt) }}</span></template>
      <template #how="{ row: remediation }">{{ remediationWords(remediation) }}</template>
      <template #outcome="{ row: remediation }"><span class="muted"><RouterLink v-if="remediation.alertId" :to="`/rounds?alert=${remediation.alertId}`">a person was told</RouterLink>
                <template v-else>{{ remediation.outcome ? outcomeText(remediation.outcome) : 'in progress' }}</template></span></template>
    </ShortTable>
    <p v-if="props.remediations.hasMore.value"><button class="link" @click="props.remediations.more">older ones</button></p>
  </template>
  <template v-if="held?.length">
    <h2>Held back by windows</h2>
    <ShortTable label="Held back by windows" :rows="held" :columns="heldColumns" row-key="id">
      <template #mark="{ row: record }"><SeverityMark :state="record.endedAt ? null : 'held'" /></template>
      <template #what="{ row: record }"><b>{{ alertWords(record).strong }}</b> {{ alertWords(record).rest }}
                <DoubtText :doubt="postDoubt(record)" /></template>
      <template #at="{ row: record }">{{ fullText(record.heldAt) }}</template>
      <template #window="{ row: record }"><RouterLink :to="`/maintenance/${record.windowId}`">{{ record.windowName }}</RouterLink></template>
      <template #outcome="{ row: record }"><span class="muted">{{ record.outcome ? outcomeText(record.outcome) : 'held now' }}</span></template>
    </ShortTable>
    <p v-if="props.held.hasMore.value"><button class="link" @click="props.held.more">older ones</button></p>
  </template>
</template>

<style scoped>
.pad {
  padding: 14px 0;
}
h2 {
  margin: 20px 0 4px;
}
</style>
