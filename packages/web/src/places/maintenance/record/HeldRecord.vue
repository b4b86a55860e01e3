<script setup lang="ts">
import { computed, toRef } from 'vue'
import type { HeldView } from '#contract'
import type { HeldOutcome } from '#core'
import { alertWords, outcomeText } from '../../../parts/format/alertWords'
import DoubtText from '../../../parts/ui/DoubtText.vue'
import { postDoubt } from '../../../parts/data/known'
import { api } from '../../../parts/data/api'
import { useNewestFirst } from '../../../parts/data/parts'
import SeverityMark from '../../../parts/ui/SeverityMark.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { age, exactText, zonedText, zoneTitle } from '../../../parts/format/time'
import ShortTable from '../../../parts/ui/ShortTable.vue'

/** What a window held back, or one of its times did, and how each ended. */
const props = defineProps<{ windowId: number; occurrence: number | null; zone: string }>()
const record = useNewestFirst<HeldView>(
  (query) =>
    api.get(
      `/windows/${props.windowId}/record?${query}${props.occurrence === null ? '' : `&occurrence=${props.occurrence}`}`,
    ),
  { topics: ['windows', 'alerts'], sources: [toRef(props, 'occurrence')] },
)
const endings: Partial<Record<HeldOutcome, string>> = {
  raised: 'still failed at the end: raised',
  cleared: 'was well again before the end',
}
const ending = (outcome: HeldOutcome) => endings[outcome] ?? outcomeText(outcome)
const columns = computed(() => [
  { key: 'mark', hint: 'State', width: 30 },
  { key: 'what', title: 'What' },
  { key: 'device', title: 'Device' },
  { key: 'began', title: zoneTitle('Began', props.zone) },
  { key: 'held', title: 'Held' },
  { key: 'for', title: 'For' },
  { key: 'end', title: 'How it ended' },
])
</script>

<template>
  <StateNotice :error="record.error.value" :loading="!record.data.value" @again="record.refresh" />
  <ShortTable
    v-if="record.data.value?.length"
    label="What it held"
    :rows="record.data.value"
    :columns="columns"
    row-key="id"
  >
    <template #mark="{ row: held }"><SeverityMark
      :state="held.outcome === null ? 'held' : held.outcome === 'raised' ? held.severity : 'settled'"
    /></template>
    <template #what="{ row: held }"><b>{{ alertWords(held).strong }}</b> {{ alertWords(held).rest }} <DoubtText :doubt="postDoubt(held)" /></template>
    <template #device="{ row: held }"><RouterLink
      class="mono"
      :to="`/estate/${held.deviceId}`"
    >{{ held.deviceName }}</RouterLink></template>
    <template #began="{ row: held }"><span :title="exactText(held.began, zone)">{{ zonedText(held.began, zone) }}</span></template>
    <template #held="{ row: held }">{{ zonedText(held.heldAt, zone) }}</template>
    <template #for="{ row: held }">{{ held.endedAt ? age(held.heldAt, held.endedAt) : `${age(held.heldAt)} so far` }}</template>
    <template #end="{ row: held }"><RouterLink
      v-if="held.alertId"
      :to="`/rounds?alert=${held.alertId}`"
    >{{ ending(held.outcome!) }}</RouterLink>
                <template v-else>{{ held.outcome ? ending(held.outcome) : 'still failing, held' }}</template></template>
  </ShortTable>
  <p v-else-if="record.data.value" class="muted">It has held nothing back.</p>
  <p v-if="record.hasMore.value"><button class="link" @click="record.more">older ones</button></p>
</template>
