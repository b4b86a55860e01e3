<script setup lang="ts">
import type { AlertView, HeldView, RemediationView } from '#contract'
import { alertWords, remediationWords } from '../../parts/format/alertWords'
import DoubtText from '../../parts/ui/DoubtText.vue'
import { postDoubt } from '../../parts/data/known'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import { exactText, fullText } from '../../parts/format/time'

defineProps<{ alerts: AlertView[] | null; held: HeldView[] | null; mended: RemediationView[] | null }>()
const outcomes: Record<string, string> = { cleared: 'well', raised: 'a person was told', held: 'maintenance began' }
</script>

<template>
  <table v-if="alerts?.length" class="board">
    <thead><tr><th></th><th>What</th><th>Began</th><th>Raised</th><th>Closed</th><th>By</th></tr></thead>
    <tbody><tr v-for="one in alerts" :key="one.id">
      <td class="mark"><SeverityMark :state="one.status === 'closed' ? 'settled' : one.severity" /></td>
      <td><RouterLink :to="`/rounds?alert=${one.id}`"><b>{{ alertWords(one).strong }}</b> {{ alertWords(one).rest }}</RouterLink> <DoubtText :doubt="postDoubt(one)" /></td>
      <td :title="exactText(one.began)">{{ fullText(one.began) }}</td><td>{{ fullText(one.raisedAt) }}<span v-if="one.windowName" class="muted"> at the end of {{ one.windowName }}</span></td>
      <td>{{ one.closedAt ? `${fullText(one.closedAt)}, ${one.closeReason}` : one.status }}</td><td class="muted">{{ one.takenBy }}</td>
    </tr></tbody>
  </table>
  <p v-else-if="alerts" class="muted pad">This device has never raised an alert.</p>
  <template v-if="mended?.length"><h2>Tried before anybody was told</h2>
    <table class="board"><tbody><tr v-for="one in mended" :key="one.id">
      <td class="mark"><SeverityMark :state="one.outcome === 'cleared' ? 'settled' : one.endedAt ? null : one.severity" /></td><td><b>{{ alertWords(one).strong }}</b> {{ alertWords(one).rest }} <DoubtText :doubt="postDoubt(one)" /></td><td :title="exactText(one.startedAt)">{{ fullText(one.startedAt) }}</td>
      <td>{{ remediationWords(one) }}</td><td class="muted"><RouterLink v-if="one.alertId" :to="`/rounds?alert=${one.alertId}`">a person was told</RouterLink><template v-else>{{ outcomes[one.outcome ?? ''] ?? one.outcome ?? 'at it now' }}</template></td>
    </tr></tbody></table>
  </template>
  <template v-if="held?.length"><h2>Held back by windows</h2>
    <table class="board"><tbody><tr v-for="one in held" :key="one.id">
      <td class="mark"><SeverityMark :state="one.endedAt ? null : 'held'" /></td><td><b>{{ alertWords(one).strong }}</b> {{ alertWords(one).rest }} <DoubtText :doubt="postDoubt(one)" /></td><td>{{ fullText(one.heldAt) }}</td>
      <td><RouterLink :to="`/maintenance/${one.windowId}`">{{ one.windowName }}</RouterLink></td><td class="muted">{{ one.outcome ?? 'held now' }}</td>
    </tr></tbody></table>
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
