<script setup lang="ts">
import type { ReachRow } from '#contract'
import AgeText from '../../../parts/ui/AgeText.vue'
import SeverityMark from '../../../parts/ui/SeverityMark.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import { now } from '../../../parts/format/time'
import { chartOf, gapText, lookText, stateOf, whatOf } from './words'

/** What of devices is looked at from others, and what each of those says. */
const props = defineProps<{ rows: readonly ReachRow[]; label: string; /** All of one device: its name goes without saying. */ isOne?: boolean }>()
const columns = [
  { key: 'state', title: '', hint: 'State', width: 46 },
  ...(props.isOne ? [] : ([{ key: 'device', title: 'Device' }] as const)),
  { key: 'what', title: 'What is looked at' },
  ...(props.isOne ? [] : ([{ key: 'where', title: 'Client and site' }] as const)),
  { key: 'by', title: 'What the others say', grow: 2 },
] as const
const keyOf = ({ deviceId, watch }: ReachRow) => `${deviceId} ${watch}`
</script>

<template>
  <ShortTable :label="label" :rows="rows" :columns="columns" :row-key="keyOf">
    <template #state="{ row }">
      <RouterLink v-if="row.alertId" :to="`/alerts/${row.alertId}`" :aria-label="`Alert of ${whatOf(row)}`"><SeverityMark :state="row.severity!" /></RouterLink>
      <SeverityMark v-else-if="row.held" state="held" />
    </template>
    <template #device="{ row }"><RouterLink v-if="row.deviceId" class="mono" :to="`/estate/${row.deviceId}#reachability`">{{ row.deviceName }}</RouterLink></template>
    <template #what="{ row }"><span class="mono">{{ row.watch ? whatOf(row) : '' }}</span></template>
    <template #where="{ row }">{{ row.clientName }} · {{ row.siteName }}</template>
    <template #by="{ row }">
      <p v-if="row.gap" class="warning">{{ gapText[row.gap] }}</p>
      <p v-for="look in row.by" :key="look.deviceId" class="look">
        <RouterLink class="mono" :to="chartOf(row, look)" :title="`How quickly it answered ${look.deviceName}`">{{ look.deviceName }}</RouterLink>
        {{ ' ' }}<span :class="stateOf(look)">{{ row.check ? lookText(look, row.check, now) : '' }}</span>
        <span v-if="look.toldAt" class="muted"> · <AgeText :at="look.toldAt" /> ago</span>
      </p>
    </template>
  </ShortTable>
</template>

<style scoped>
p {
  margin: 0;
}
.bad {
  color: var(--critical);
}
.trouble,
.quiet {
  color: var(--warning);
}
.early {
  color: var(--muted);
}
.mono {
  overflow-wrap: anywhere;
}
</style>
