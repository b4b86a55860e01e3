<script setup lang="ts">
import { computed, ref } from 'vue'
import type { OccurrenceView, WindowPage } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { useSession } from '../../../parts/data/session'
import { exactText, lengthText, now, zonedText, zoneTitle } from '../../../parts/format/time'
import { attempt, done } from '../../../parts/ui/notify'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import type { ShortColumn } from '../../../parts/ui/table'

/** The times of a window: to come, each to be skipped or changed; in force and over, with what came of each. */
const props = defineProps<{ window: WindowPage; chosen: number | null }>()
const emit = defineEmits<{ change: [occurrence: OccurrenceView]; choose: [occurrence: number | null] }>()
const session = useSession()
/** More are shown when somebody wants to see them. */
const fewComing = 5
const showsAll = ref(false)
const soonest = computed(() => (showsAll.value ? props.window.coming : props.window.coming.slice(0, fewComing)))
const coming = computed((): ShortColumn<OccurrenceView>[] => [
  { key: 'from', title: zoneTitle('From', props.window.zone), width: 190 },
  { key: 'until', title: 'Until', width: 190 },
  { key: 'length', title: 'Length', width: 90 },
  { key: 'note', grow: 1, width: 120 },
  { key: 'acts', width: 190, align: 'right', tight: true },
])
const past = computed((): ShortColumn<OccurrenceView>[] => [
  { key: 'from', title: zoneTitle('From', props.window.zone), width: 180 },
  { key: 'until', title: 'Until', width: 200 },
  { key: 'held', title: 'Held', width: 90, align: 'right' },
  { key: 'raised', title: 'Raised at its end', width: 130, align: 'right' },
  { key: 'overrun', title: 'Raised soon after', width: 130, align: 'right' },
  { key: 'uncovered', title: 'Not covered', width: 110, align: 'right' },
  { key: 'acts', width: 190, grow: 1, align: 'right', tight: true },
])
const endOf = (row: OccurrenceView) => Math.min(row.until ?? Infinity, row.endedAt ?? Infinity)
const isRunning = (row: OccurrenceView) => row.from <= now.value && endOf(row) > now.value
const isMoved = (row: OccurrenceView) =>
  row.from !== row.start || (row.until !== null && row.until - row.from !== props.window.length)
const hour = 3_600_000
async function act(row: OccurrenceView, what: 'skip' | 'end' | 'extend', until?: number): Promise<void> {
  const body = { do: what, start: row.start, why: '', ...(until ? { until } : {}) }
  if (await attempt(() => api.post(`/windows/${props.window.id}/occurrence`, body)))
    done({ skip: 'Skipped.', end: 'Ended. What still fails is raised now.', extend: 'Extended by an hour.' }[what])
}
async function restore(start: number): Promise<void> {
  if (await attempt(() => api.post(`/windows/${props.window.id}/occurrence`, { do: 'restore', start, why: '' })))
    done('It comes after all.')
}
</script>

<template>
  <template v-if="window.coming.length || window.skipped.length">
    <h2>To come</h2>
    <ShortTable v-if="window.coming.length" label="Times to come" :rows="soonest" :columns="coming" row-key="id">
      <template #from="{ row }"><span :title="exactText(row.from, window.zone)">{{ zonedText(row.from, window.zone) }}</span></template>
      <template #until="{ row }">{{ row.until === null ? 'no end' : zonedText(row.until, window.zone) }}</template>
      <template #length="{ row }">{{ row.until === null ? '' : lengthText(row.until - row.from) }}</template>
      <template #note="{ row }"><span
        v-if="isMoved(row)"
        class="warning"
      >changed; by the rule {{ zonedText(row.start, window.zone) }}</span></template>
      <template #acts="{ row }">
        <template v-if="session.mayChange">
          <button class="btn small" @click="emit('change', row)">Change</button>
          <button class="btn small" @click="act(row, 'skip')">{{ window.rule ? 'Skip' : 'Cancel it' }}</button>
        </template>
      </template>
    </ShortTable>
    <p v-if="window.coming.length > fewComing"><button
      class="link"
      @click="showsAll = !showsAll"
    >{{ showsAll ? 'only the next five' : `the next ${window.coming.length}` }}</button></p>
    <p v-for="start in window.skipped" :key="start" class="muted">Skipped: {{ zonedText(start, window.zone) }}
      <button
        v-if="session.mayChange && start > now"
        class="link"
        @click="restore(start)"
      >let it come after all</button></p>
  </template>
  <template v-if="window.past.length">
    <h2>In force and over</h2>
    <ShortTable label="Times that were" :rows="window.past" :columns="past" row-key="id">
      <template #from="{ row }"><span :title="exactText(row.from, window.zone)">{{ zonedText(row.from, window.zone) }}</span></template>
      <template #until="{ row }"><template v-if="row.endedAt === row.from"><span class="muted">cancelled by {{ row.endedBy }}</span></template>
        <template v-else>{{ row.until === null && row.endedAt === null ? 'no end' : zonedText(endOf(row), window.zone) }}<span
          v-if="row.endedAt"
          class="muted"
        > by {{ row.endedBy }}</span></template></template>
      <template #held="{ row }"><button
        v-if="row.held"
        class="link"
        :aria-expanded="chosen === row.id"
        :title="`What it held: ${countText(row.held, 'record')}`"
        @click="emit('choose', chosen === row.id ? null : row.id)"
      >{{ row.held }}</button></template>
      <template #raised="{ row }">{{ row.raised || '' }}</template>
      <template #overrun="{ row }">{{ row.overrun || '' }}</template>
      <template #uncovered="{ row }"><button
        v-if="row.uncovered"
        class="link"
        :aria-expanded="chosen === row.id"
        title="What failed then and was not held"
        @click="emit('choose', chosen === row.id ? null : row.id)"
      >{{ row.uncovered }}</button></template>
      <template #acts="{ row }">
        <template v-if="session.mayChange && isRunning(row)">
          <button
            v-if="row.until !== null"
            class="btn small"
            @click="act(row, 'extend', row.until + hour)"
          >One hour more</button>
          <button class="btn small" @click="emit('change', row)">Change</button>
          <button class="btn small" @click="act(row, 'end')">End now</button>
        </template>
      </template>
    </ShortTable>
    <p
      v-if="window.pastCount > window.past.length"
      class="muted"
    >The newest {{ window.past.length }} of {{ window.pastCount }}; what all of them held stands in the record below.</p>
  </template>
</template>

<style scoped>
h2 {
  margin: 18px 0 4px;
}
.small {
  padding: 0 8px;
  margin-left: 4px;
}
</style>
