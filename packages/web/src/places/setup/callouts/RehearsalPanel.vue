<script setup lang="ts">
import { computed } from 'vue'
import type { CalloutRehearsal } from '#contract'
import { countText, numberText, type CalloutSubject } from '#core'
import type { ApiError } from '../../../parts/data/api'
import { stepWords } from '../../../parts/format/calloutWords'
import { exactText, fullText } from '../../../parts/format/time'
import SeverityMark from '../../../parts/ui/SeverityMark.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'

/** What a rule would have sent in the last fortnight, as it would have been decided then. */
const props = defineProps<{
  about: CalloutSubject
  found: CalloutRehearsal | null
  error: ApiError | null
  asking: boolean
  isComplete: boolean
}>()
const noun = computed(() => (props.about === 'mail' ? 'request' : 'alert'))
const columns = [
  { key: 'name', title: 'To', grow: 2 },
  { key: 'messages', title: 'messages', align: 'right' },
  { key: 'atNight', title: 'at night', align: 'right' },
  { key: 'mostAnHour', title: 'most in an hour', align: 'right' },
] as const
</script>

<template>
  <section aria-label="In the last 14 days" :aria-busy="asking">
    <h3>In the last 14 days it would have sent</h3>
    <p v-if="!isComplete" class="muted">Say who is told, and it shows here.</p>
    <p v-else-if="error" class="critical">{{ error.message }}</p>
    <p v-else-if="!found" class="faint">Working it out…</p>
    <div v-else :class="{ older: asking }">
      <p v-if="!found.told" class="muted">Nothing: {{ found.alerts ? `of ${countText(found.alerts, noun)} that it is about none was to be told` : about === 'mail' ? 'nobody wrote' : 'no alert was raised that it is about' }}.</p>
      <template v-else>
        <p><b>{{ numberText(found.told) }}</b> of {{ countText(found.alerts, noun) }} told{{ found.steps.again ? `, ${numberText(found.steps.again)} times again` : '' }}{{ found.steps.escalate ? `, ${numberText(found.steps.escalate)} times nobody took it` : '' }}{{ found.steps.untouched ? `, ${countText(found.steps.untouched, 'reminder')} to whoever had it` : '' }}{{ found.steps.well ? `, ${numberText(found.steps.well)} times well again` : '' }}.</p>
        <ShortTable label="Messages by recipient" :rows="found.recipients" :columns="columns" row-key="name">
          <template #messages="{ row }">{{ numberText(row.messages) }}</template>
          <template #atNight="{ row }"><span :class="{ warning: row.atNight }">{{ numberText(row.atNight) }}</span></template>
          <template #mostAnHour="{ row }"><span :class="{ warning: row.mostAnHour > 20 }">{{ numberText(row.mostAnHour) }}</span></template>
        </ShortTable>
        <ol class="moments" aria-label="The newest of them">
          <li v-for="(moment, i) in found.moments.slice(0, 40)" :key="i">
            <time class="faint" :title="exactText(moment.at, moment.zone)">{{ fullText(moment.at) }}</time>
            <SeverityMark v-if="moment.alertId !== null" :state="moment.step === 'well' ? 'settled' : moment.severity" /><span v-else></span>
            <span>{{ stepWords[moment.step] }} to {{ moment.to || 'nobody' }}: <RouterLink :to="moment.alertId === null ? `/requests/${moment.requestId}` : `/alerts/${moment.alertId}`"><span class="mono">{{ moment.deviceName }}</span> {{ moment.about }}</RouterLink> <span class="faint">{{ moment.clientName }}</span></span>
          </li>
        </ol>
        <p v-if="found.left + found.moments.length > 40" class="faint">and {{ numberText(found.left + found.moments.length - 40) }} more before.</p>
      </template>
    </div>
  </section>
</template>

<style scoped>
section {
  border-left: 1px solid var(--rule);
  padding-left: 20px;
}
.older {
  opacity: 0.6;
}
.moments {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 300px;
  overflow: auto;
}
li {
  display: grid;
  grid-template-columns: 96px 13px minmax(0, 1fr);
  gap: 8px;
  align-items: baseline;
  padding: 2px 0;
  border-bottom: 1px solid var(--rule2);
  overflow-wrap: anywhere;
}
</style>
