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
      <table v-if="data.record.length" class="board">
        <thead>
          <tr><th></th><th>What</th><th>Device</th><th>Began</th><th>Held</th><th>Over</th><th>How it ended</th></tr>
        </thead>
        <tbody>
          <tr v-for="held in data.record" :key="held.id">
            <td class="mark">
              <SeverityMark :state="held.outcome === null ? 'held' : held.outcome === 'raised' ? held.severity : 'settled'" />
            </td>
            <td><b>{{ alertWords(held).strong }}</b> {{ alertWords(held).rest }} <DoubtText :doubt="postDoubt(held)" /></td>
            <td><RouterLink class="mono" :to="`/estate/${held.deviceId}`">{{ held.deviceName }}</RouterLink></td>
            <td :title="exactText(held.began)">{{ fullText(held.began) }}</td>
            <td>{{ fullText(held.heldAt) }}</td>
            <td>{{ held.endedAt ? fullText(held.endedAt) : '' }}</td>
            <td>
              <RouterLink v-if="held.alertId" :to="`/rounds?alert=${held.alertId}`">{{ ending(held.outcome!) }}</RouterLink>
              <template v-else>{{ held.outcome ? ending(held.outcome) : 'still failing, held' }}</template>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-else class="muted">It has held nothing back.</p>
    </template>
  </div>
</template>

<style scoped>
h2 {
  margin: 20px 0 4px;
}
.mark {
  width: 22px;
}
</style>
