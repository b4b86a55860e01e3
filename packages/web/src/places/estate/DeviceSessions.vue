<script setup lang="ts">
import { computed } from 'vue'
import type { AlertView, DevicePage } from '#contract'
import { mostUrgent, watchKind, type SessionKind } from '#core'
import DoubtText from '../../parts/ui/DoubtText.vue'
import StateLine from '../../parts/ui/StateLine.vue'
import { doubtOf } from '../../parts/data/known'
import { exactText, shortText } from '../../parts/format/time'
import { nameInAddress } from './readings/subjects'

/** Who is signed in to a device, whoever came first above, and whether more may come. */
const props = defineProps<{ device: DevicePage; alerts: readonly AlertView[] }>()
const words: Record<SessionKind, string> = { console: 'on its console', terminal: 'by terminal', desktop: 'with a desktop' }
const most = 8

const told = computed(() => props.device.facts.sessions)
const open = computed(() =>
  props.alerts.filter(({ rule, status }) => rule.kind && watchKind(rule.kind).subject === 'session' && status !== 'closed'),
)
const severityOf = (isIts: (alert: AlertView) => boolean) =>
  mostUrgent(open.value.filter(isIts).map(({ severity }) => severity)) ?? undefined
const list = computed(() =>
  [...(told.value?.list ?? [])]
    .sort((a, b) => a.since - b.since)
    .map((session) => ({
      ...session,
      severity: severityOf(({ rule, instance }) => rule.kind === 'session-long' && instance === session.user),
    })),
)
</script>

<template>
  <div v-if="told || device.failing.includes('sessions')">
    <h2>Signed in <span class="faint count">{{ told ? list.length : '' }}</span> <DoubtText :doubt="doubtOf(device, 'sessions', told !== undefined)" /></h2>
    <template v-if="told">
      <StateLine v-if="told.closedBy" name="Closed" plain :severity="severityOf(({ rule }) => rule.kind === 'sign-ins-closed')">
        <span class="warning">nobody new may sign in: {{ told.closedBy }}</span>
      </StateLine>
      <StateLine v-for="session in list.slice(0, most)" :key="session.id" :name="session.user" :severity="session.severity">
        <span>{{ words[session.kind] }}<template v-if="session.from">{{ ' ' }}from <span class="mono">{{ session.from }}</span></template>,{{ ' ' }}<span class="muted" :title="exactText(session.since, device.zone)">since {{ shortText(session.since) }}</span></span>
      </StateLine>
      <p v-if="!list.length" class="muted">Nobody.</p>
      <p v-if="list.length > most" class="muted">And {{ list.length - most }} more. <RouterLink :to="{ query: { open: nameInAddress({ metric: 'sessions.count', instance: '' }) }, hash: '#readings' }">How many over time</RouterLink></p>
    </template>
  </div>
</template>

<style scoped>
h2 {
  margin: 16px 0 4px;
}
.count {
  font: 14px var(--sans);
}
</style>
