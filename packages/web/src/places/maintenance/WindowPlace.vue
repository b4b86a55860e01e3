<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import type { HeldView, WindowPage } from '#contract'
import type { HeldOutcome } from '#core'
import { alertWords, outcomeText } from '../../parts/format/alertWords'
import DoubtText from '../../parts/ui/DoubtText.vue'
import { postDoubt } from '../../parts/data/known'
import { api } from '../../parts/data/api'
import { useNewestFirst } from '../../parts/data/parts'
import { useResource, type ResourceOptions } from '../../parts/data/resource'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { exactText, fullText } from '../../parts/format/time'
import WindowTable from './WindowTable.vue'
import ShortTable from '../../parts/ui/ShortTable.vue'

const route = useRoute()
const id = String(route.params.id)
const live = { topics: ['windows', 'alerts'] } satisfies ResourceOptions
const { data, error, refresh } = useResource(() => api.get<WindowPage>(`/windows/${id}`), live)
const record = useNewestFirst<HeldView>((query) => api.get(`/windows/${id}/record?${query}`), live)
const heldCount = computed(() => (data.value?.endings ?? []).reduce((sum, { count }) => sum + count, 0))
const counted: Partial<Record<HeldOutcome, string>> = { raised: 'raised at the end', cleared: 'well before the end' }
/** How what it held has ended, and how often. */
const endingsText = computed(() =>
  (data.value?.endings ?? [])
    .map(({ outcome, count }) => `${count} ${outcome ? (counted[outcome] ?? outcomeText(outcome)) : 'held now'}`)
    .join(', '),
)
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
      <p v-if="data.endings.length" class="muted">Held {{ heldCount }}: {{ endingsText }}.</p>
      <StateNotice :error="record.error.value" :loading="!record.data.value" @again="record.refresh" />
      <ShortTable
        v-if="record.data.value?.length"
        label="What it held"
        :rows="record.data.value"
        :columns="columns"
        row-key="id"
      >
        <template #mark="{ row: held }"><SeverityMark :state="held.outcome === null ? 'held' : held.outcome === 'raised' ? held.severity : 'settled'" /></template>
        <template #what="{ row: held }"><b>{{ alertWords(held).strong }}</b> {{ alertWords(held).rest }} <DoubtText :doubt="postDoubt(held)" /></template>
        <template #device="{ row: held }"><RouterLink class="mono" :to="`/estate/${held.deviceId}`">{{ held.deviceName }}</RouterLink></template>
        <template #began="{ row: held }"><span :title="exactText(held.began)">{{ fullText(held.began) }}</span></template>
        <template #held="{ row: held }">{{ fullText(held.heldAt) }}</template>
        <template #over="{ row: held }">{{ held.endedAt ? fullText(held.endedAt) : '' }}</template>
        <template #end="{ row: held }"><RouterLink v-if="held.alertId" :to="`/rounds?alert=${held.alertId}`">{{ ending(held.outcome!) }}</RouterLink>
                    <template v-else>{{ held.outcome ? ending(held.outcome) : 'still failing, held' }}</template></template>
      </ShortTable>
      <p v-else-if="record.data.value" class="muted">It has held nothing back.</p>
      <p v-if="record.hasMore.value"><button class="link" @click="record.more">older ones</button></p>
    </template>
  </div>
</template>

<style scoped>
h2 {
  margin: 20px 0 4px;
}
</style>
