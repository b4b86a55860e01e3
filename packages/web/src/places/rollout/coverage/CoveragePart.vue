<script setup lang="ts">
import { computed, ref } from 'vue'
import type { GapView, WaiverView } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { attempt, done } from '../../../parts/ui/notify'
import { useResource, type Resource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import CollectRules from './CollectRules.vue'
import GapRemedy from './GapRemedy.vue'
import { gapWords, groupGaps, type GroupedBy } from './gapWords'
import ShortTable from '../../../parts/ui/ShortTable.vue'

/** What the roles of devices need, and nobody collects or nobody watches. */
const props = defineProps<{ gaps: Resource<GapView[]> }>()
const session = useSession()
const waivers = useResource(() => api.get<WaiverView[]>('/coverage/waivers'), { topics: ['policy'] })
const by = ref<GroupedBy>('need')
const chosen = ref<GapView[]>([])
const shown = computed(() =>
  (props.gaps.data.value ?? [])
    .map((gap) => ({ ...gap, devices: gap.devices.filter((device) => session.inView(device.clientId)) }))
    .filter((gap) => gap.devices.length),
)
const groups = computed(() => groupGaps(shown.value, by.value))
const waived = computed(() => (waivers.data.value ?? []).filter((waiver) => session.inView(waiver.device.clientId)))
const keyOf = (gap: GapView) =>
  [gap.need, gap.instance, gap.uncollected, gap.unwatched, gap.trouble, ...gap.devices.map((device) => device.id)].join()
const isChosen = (gap: GapView) => chosen.value.some((candidate) => keyOf(candidate) === keyOf(gap))
/** What somebody has to put right on the machine itself cannot be added from here. */
const closable = (gaps: readonly GapView[]) => gaps.filter((gap) => gap.unwatched || !gap.trouble)
function where({ devices }: GapView): string {
  const names = devices
    .slice(0, 3)
    .map((device) => device.name)
    .join(', ')
  return devices.length > 3 ? `${names} and ${devices.length - 3} more` : names
}
async function closed(): Promise<void> {
  chosen.value = []
  await Promise.all([props.gaps.refresh(), waivers.refresh()])
}
async function tellAgain(waiver: WaiverView): Promise<void> {
  if (!(await attempt(() => api.delete(`/devices/${waiver.device.id}/waivers`)))) return
  done(`What ${waiver.device.name} does not have is shown again.`)
  await closed()
}
const waiverColumns = [
  { key: 'device', title: 'Device' },
  { key: 'what', title: 'What' },
  { key: 'why', title: 'Why' },
  { key: 'acts', align: 'right' },
] as const
</script>

<template>
  <div class="two">
    <div>
      <div class="head by">
        <span class="muted">Grouped by</span>
        <button
          v-for="grouping in (['need', 'client', 'device'] as const)"
          :key="grouping"
          class="link"
          :class="{ on: by === grouping }"
          :aria-pressed="by === grouping"
          @click="by = grouping"
        >{{ grouping === 'need' ? 'what is missing' : grouping }}</button>
      </div>
      <StateNotice
        :error="gaps.error.value"
        :loading="!gaps.data.value"
        :empty="gaps.data.value && !shown.length ? 'Everything that the roles of these devices need is collected and watched.' : ''"
        @again="gaps.refresh"
      />
      <section v-for="group in groups" :key="group.title" :aria-label="group.title">
        <h2><RouterLink v-if="group.path" class="mono" :to="group.path">{{ group.title }}</RouterLink><template v-else>{{ group.title }}</template> <button v-if="closable(group.gaps).length > 1" class="link all" @click="chosen = closable(group.gaps)">see
            what all {{ closable(group.gaps).length }} would add</button></h2>
        <table class="board">
          <tbody>
            <tr v-for="gap in group.gaps" :key="keyOf(gap)" :class="{ on: isChosen(gap) }">
              <td><b>{{ gapWords(gap).name }}</b> {{ gapWords(gap).rest }}</td>
              <td
                v-if="by !== 'device'"
                class="where"
                :title="gap.devices.map((device) => `${device.name}, ${device.clientName}`).join('\n')"
              ><b>{{ countText(gap.devices.length, 'device') }}</b> <span class="mono">{{ where(gap) }}</span></td>
              <td class="num do">
                <button v-if="closable([gap]).length" class="link" @click="chosen = [gap]">see what it would add</button>
              </td>
            </tr>
          </tbody>
        </table>
      </section>
      <details v-if="waived.length" class="more">
        <summary>{{ countText(waived.length, 'thing') }} marked as not needed</summary>
        <ShortTable label="Marked as not needed" :rows="waived" :columns="waiverColumns" :row-key="(waiver) => `${waiver.device.id} ${waiver.need} ${waiver.instance}`">
          <template #device="{ row: waiver }"><span class="mono">{{ waiver.device.name }}</span></template>
          <template #what="{ row: waiver }">{{ waiver.instance }}</template>
          <template #why="{ row: waiver }"><span class="muted">{{ waiver.reason }} <span class="faint">{{ waiver.by }}</span></span></template>
          <template #acts="{ row: waiver }"><button class="link" @click="tellAgain(waiver)">show it again</button></template>
        </ShortTable>
      </details>
      <CollectRules />
    </div>
    <GapRemedy
      v-if="chosen.length"
      :key="chosen.map(keyOf).join()"
      :gaps="chosen"
      @closed="closed"
      @leave="chosen = []"
    />
    <p v-else class="muted aside">Only what is really there is told: a service that runs, a log that is written, a
      collector that its agent could have. Choose one to see what closing the gap would add; nothing is added before you
      have seen it.</p>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 380px;
  gap: 32px;
  align-items: start;
}
.aside {
  padding-top: 40px;
}
.by {
  margin: 12px 0 0;
}
.by .on {
  color: var(--ink);
  font-weight: 600;
}
section {
  margin-top: 14px;
}
h2 {
  margin-bottom: 2px;
}
.all {
  font: 14px var(--sans);
  margin-left: 10px;
}
.where {
  width: 38%;
  max-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.do {
  white-space: nowrap;
  width: 170px;
}
.on td {
  background: var(--act-soft);
}
.more {
  margin-top: 18px;
}
summary {
  cursor: pointer;
  color: var(--act);
}
</style>
