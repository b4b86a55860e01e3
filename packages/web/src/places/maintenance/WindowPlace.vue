<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import type { WindowPage } from '#contract'
import type { HeldOutcome } from '#core'
import { alertWords, outcomeText } from '../../parts/format/alertWords'
import DoubtText from '../../parts/ui/DoubtText.vue'
import { postDoubt } from '../../parts/data/known'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { exactText, fullText } from '../../parts/format/time'
import WindowTable from './WindowTable.vue'
import ShortTable from '../../parts/ui/ShortTable.vue'

const route = useRoute()
const { data, error, refresh } = useResource(() => api.get<WindowPage>(`/windows/${String(route.params.id)}`), {
  topics: ['windows', 'alerts'],
})
const counts = computed(() => {
  const record = data.value?.record ?? []
  const count = (outcome: string | null) => record.filter((held) => held.outcome === outcome).length
  return { held: record.length, now: count(null), cleared: count('cleared'), raised: count('raised') }
})
const endings: Partial<Record<HeldOutcome, string>> = {
  raised: 'still failed at the end: raised',
  cleared: 'was well again before the end',
}
const ending = (outcome: HeldOutcome) => endings[outcome] ?? outcomeText(outcome)
const columns = [
  { key: 'mark', hint: 'State', width: 30 },
  { key: 'what', title: 'What' },
  { key: 'device', title: 'Device' },
  { key: 'began', title: 'Began' },
  { key: 'held', title: 'Held' },
  { key: 'over', title: 'Over' },
  { key: 'end', title: 'How it ended' },
] as const
</script>

<template>
  <div class="page">
    <p><RouterLink to="/maintenance">Maintenance</RouterLink></p>
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <template v-if="data">
      <div class="head"><h1>{{ data.name }}</h1><span class="muted">{{ data.reason }}</span></div>
      <WindowTable :windows="[data]" />
      <h2>Record</h2>
      <p class="muted">Held {{ counts.held }}: {{ counts.cleared }} cleared by themselves, {{ counts.raised }} came out
        as alerts, {{ counts.now }} still held.</p>
      <ShortTable v-if="data.record.length" label="What it held" :rows="data.record" :columns="columns" row-key="id">
        <template #mark="{ row: held }"><SeverityMark :state="held.outcome === null ? 'held' : held.outcome === 'raised' ? held.severity : 'settled'" /></template>
        <template #what="{ row: held }"><b>{{ alertWords(held).strong }}</b> {{ alertWords(held).rest }} <DoubtText :doubt="postDoubt(held)" /></template>
        <template #device="{ row: held }"><RouterLink class="mono" :to="`/estate/${held.deviceId}`">{{ held.deviceName }}</RouterLink></template>
        <template #began="{ row: held }"><span :title="exactText(held.began)">{{ fullText(held.began) }}</span></template>
        <template #held="{ row: held }">{{ fullText(held.heldAt) }}</template>
        <template #over="{ row: held }">{{ held.endedAt ? fullText(held.endedAt) : '' }}</template>
        <template #end="{ row: held }"><RouterLink v-if="held.alertId" :to="`/rounds?alert=${held.alertId}`">{{ ending(held.outcome!) }}</RouterLink>
                    <template v-else>{{ held.outcome ? ending(held.outcome) : 'still failing, held' }}</template></template>
      </ShortTable>
      <p v-else class="muted">It has held nothing back.</p>
    </template>
  </div>
</template>

<style scoped>
h2 {
  margin: 20px 0 4px;
}
</style>
