<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import type { WindowPage } from '#contract'
import { alertWords } from '../../parts/format/alertWords'
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
  const count = (outcome: string | null) => record.filter((one) => one.outcome === outcome).length
  return { held: record.length, now: count(null), cleared: count('cleared'), raised: count('raised') }
})
const outcomes: Record<string, string> = {
  raised: 'still failed at the end: raised',
  cleared: 'was well again before the end',
  'passed on': 'passed on to another window',
  'not watched any more': 'not watched any more',
}
</script>

<template>
  <div class="page">
    <p><RouterLink to="/maintenance">Maintenance</RouterLink></p>
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <template v-if="data">
      <div class="head"><h1>{{ data.name }}</h1><span class="muted">{{ data.reason }}</span></div>
      <WindowTable :windows="[data]" />
      <h2>Record</h2>
      <p class="muted">Held {{ counts.held }}: {{ counts.cleared }} cleared by themselves, {{ counts.raised }} came out as alerts, {{ counts.now }} still held.</p>
      <table v-if="data.record.length" class="board">
        <thead><tr><th></th><th>What</th><th>Device</th><th>Began</th><th>Held</th><th>Over</th><th>How it ended</th></tr></thead>
        <tbody><tr v-for="one in data.record" :key="one.id">
          <td class="mark"><SeverityMark :state="one.outcome === null ? 'held' : one.outcome === 'raised' ? one.severity : 'settled'" /></td>
          <td><b>{{ alertWords(one).strong }}</b> {{ alertWords(one).rest }} <DoubtText :doubt="postDoubt(one)" /></td>
          <td><RouterLink class="mono" :to="`/estate/${one.deviceId}`">{{ one.deviceName }}</RouterLink></td>
          <td :title="exactText(one.began)">{{ fullText(one.began) }}</td><td>{{ fullText(one.heldAt) }}</td><td>{{ one.endedAt ? fullText(one.endedAt) : '' }}</td>
          <td><RouterLink v-if="one.alertId" :to="`/rounds?alert=${one.alertId}`">{{ outcomes[one.outcome!] }}</RouterLink><template v-else>{{ one.outcome ? outcomes[one.outcome] : 'still failing, held' }}</template></td>
        </tr></tbody>
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
