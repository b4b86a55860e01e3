<script setup lang="ts">
import type { AlertView, HeldView, RemediationView } from '#contract'
import { alertWords, closeText, outcomeText, remediationWords } from '../../parts/format/alertWords'
import DoubtText from '../../parts/ui/DoubtText.vue'
import { postDoubt } from '../../parts/data/known'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import { exactText, fullText } from '../../parts/format/time'

defineProps<{ alerts: AlertView[] | null; held: HeldView[] | null; remediations: RemediationView[] | null }>()
</script>

<template>
  <table v-if="alerts?.length" class="board">
    <thead><tr><th></th><th>What</th><th>Began</th><th>Raised</th><th>Closed</th><th>By</th></tr></thead>
    <tbody>
      <tr v-for="alert in alerts" :key="alert.id">
        <td class="mark"><SeverityMark :state="alert.status === 'closed' ? 'settled' : alert.severity" /></td>
        <td><RouterLink :to="`/rounds?alert=${alert.id}`"><b>{{ alertWords(alert).strong }}</b>
            {{ alertWords(alert).rest }}</RouterLink> <DoubtText :doubt="postDoubt(alert)" /></td>
        <td :title="exactText(alert.began)">{{ fullText(alert.began) }}</td>
        <td>{{ fullText(alert.raisedAt) }}<span v-if="alert.windowName" class="muted"> at the end of {{ alert.windowName }}</span></td>
        <td>{{ alert.closedAt ? `${fullText(alert.closedAt)}, ${closeText(alert.closeReason!)}` : alert.status }}</td>
        <td class="muted">{{ alert.takenBy }}</td>
      </tr>
    </tbody>
  </table>
  <p v-else-if="alerts" class="muted pad">This device has never raised an alert.</p>
  <template v-if="remediations?.length">
    <h2>Tried before anybody was told</h2>
    <table class="board">
      <tbody>
        <tr v-for="remediation in remediations" :key="remediation.id">
          <td class="mark">
            <SeverityMark :state="remediation.outcome === 'cleared' ? 'settled' : remediation.endedAt ? null : remediation.severity" />
          </td>
          <td><b>{{ alertWords(remediation).strong }}</b> {{ alertWords(remediation).rest }}
            <DoubtText :doubt="postDoubt(remediation)" /></td>
          <td :title="exactText(remediation.startedAt)">{{ fullText(remediation.startedAt) }}</td>
          <td>{{ remediationWords(remediation) }}</td>
          <td class="muted">
            <RouterLink v-if="remediation.alertId" :to="`/rounds?alert=${remediation.alertId}`">a person was told</RouterLink>
            <template v-else>{{ remediation.outcome ? outcomeText(remediation.outcome) : 'in progress' }}</template>
          </td>
        </tr>
      </tbody>
    </table>
  </template>
  <template v-if="held?.length">
    <h2>Held back by windows</h2>
    <table class="board">
      <tbody>
        <tr v-for="record in held" :key="record.id">
          <td class="mark"><SeverityMark :state="record.endedAt ? null : 'held'" /></td>
          <td><b>{{ alertWords(record).strong }}</b> {{ alertWords(record).rest }}
            <DoubtText :doubt="postDoubt(record)" /></td>
          <td>{{ fullText(record.heldAt) }}</td>
          <td><RouterLink :to="`/maintenance/${record.windowId}`">{{ record.windowName }}</RouterLink></td>
          <td class="muted">{{ record.outcome ? outcomeText(record.outcome) : 'held now' }}</td>
        </tr>
      </tbody>
    </table>
  </template>
</template>

<style scoped>
.mark {
  width: 22px;
}
.pad {
  padding: 14px 0;
}
h2 {
  margin: 20px 0 4px;
}
</style>
