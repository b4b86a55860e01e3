<script setup lang="ts">
import { computed, watch } from 'vue'
import type { RouteLocationRaw } from 'vue-router'
import type { ProcessesPage } from '#contract'
import { bytesText, durationText, percentText, processLimits, type Millis } from '#core'
import { api } from '../data/api'
import { useResource } from '../data/resource'
import { fullText } from '../format/time'
import ShortTable from './ShortTable.vue'
import StateNotice from './StateNotice.vue'

/** Which processes used a device most over a time. From a moment of theirs one comes to that moment. */
const props = defineProps<{ deviceId: number; from: Millis; until: Millis; moment?: Millis | null; to: (at: Millis) => RouteLocationRaw }>()
/** Around a moment: what was told before it and after it, however long an agent's interval is. */
const around: Millis = 150_000
const asked = computed(() =>
  props.moment ? { from: props.moment - around, until: props.moment + around } : { from: props.from, until: props.until },
)
const { data, error, refresh } = useResource(async () => {
  const { from, until } = asked.value
  const page = await api.get<ProcessesPage>(`/devices/${props.deviceId}/processes?from=${from}&until=${until}`)
  return { ...page, isCut: page.from > from, moment: props.moment ?? null }
})
// A chart of the last hours moves with each report; what is there stays until the next is.
watch(asked, () => void refresh())
const columns = [
  { key: 'name', title: 'Process', grow: 1 },
  { key: 'cpu', title: 'Most CPU', align: 'right' },
  { key: 'cpuAt', title: 'at' },
  { key: 'mean', title: 'Mean CPU', align: 'right' },
  { key: 'memory', title: 'Most memory', align: 'right' },
  { key: 'memoryAt', title: 'at' },
  { key: 'moments', title: 'Moments', align: 'right' },
] as const
</script>

<template>
  <section aria-label="What ran">
    <h3>What ran<template v-if="data?.moment"> around {{ fullText(data.moment) }}</template></h3>
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <template v-if="data">
      <ShortTable v-if="data.processes.length" label="Processes that used it most" :rows="data.processes" :columns="columns" row-key="name">
        <template #name="{ row }"><span class="mono">{{ row.name }}</span><span v-if="row.count > 1" class="muted"> × {{ row.count }}</span></template>
        <template #cpu="{ row }">{{ percentText(row.cpu) }}</template>
        <template #cpuAt="{ row }"><RouterLink :to="to(row.cpuAt)">{{ fullText(row.cpuAt) }}</RouterLink></template>
        <template #mean="{ row }">{{ percentText(row.cpuMean) }}</template>
        <template #memory="{ row }">{{ row.memory ? bytesText(row.memory) : '' }}</template>
        <template #memoryAt="{ row }"><RouterLink v-if="row.memory" :to="to(row.memoryAt)">{{ fullText(row.memoryAt) }}</RouterLink></template>
        <template #moments="{ row }">{{ row.moments }} of {{ data.moments }}</template>
      </ShortTable>
      <p v-else class="muted">{{ data.moments ? 'Nothing used more than a trace of it.' : 'Its agent told of no process in this time.' }}</p>
      <p class="muted">Shares are of all processors together; memory is what is a process’s own. The agent looks with each report, and tells of it
        when more than {{ percentText(processLimits.busyCpu) }} of the CPU is busy or less than {{ percentText(processLimits.scarceMemory) }} of the memory is left, else every
        {{ durationText(processLimits.restEvery) }}.<template v-if="data.took !== null"> A look costs it {{ Number(data.took.toFixed(1)) }} ms of CPU.</template><template
          v-if="data.others"
        > {{ data.others }} more stood at the top at some moment.</template><template v-if="data.isCut"> Told from {{ fullText(data.from) }} on: there are too many moments before.</template></p>
    </template>
  </section>
</template>

<style scoped>
section {
  margin-top: 14px;
}
h3 {
  border-top: 1px solid var(--rule);
  margin: 12px 0 4px;
  padding-top: 6px;
}
</style>
