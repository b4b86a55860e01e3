<script setup lang="ts">
import { storeToRefs } from 'pinia'
import { computed, ref, watch } from 'vue'
import type { GapDevice, GapGroupView, GapView, GapsWithin, WaiverList, WaiverView } from '#contract'
import { countText, gapGroupings } from '#core'
import { api } from '../../../parts/data/api'
import { attempt, done } from '../../../parts/ui/notify'
import { partQuery, useParts } from '../../../parts/data/parts'
import { useSession } from '../../../parts/data/session'
import NearEnd from '../../../parts/ui/NearEnd.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import CollectRules from './CollectRules.vue'
import GapRemedy from './GapRemedy.vue'
import { gapWords } from './gapWords'
import type { Coverage } from './useCoverage'

/** What the roles of devices need, and nobody collects or nobody watches. */
const props = defineProps<{ coverage: Coverage }>()
const session = useSession()
const { by } = props.coverage
const page = computed(() => props.coverage.data.value)
const { clientId } = storeToRefs(session)
const waivers = useParts<WaiverList>(
  (after) => api.get(`/coverage/waivers?${partQuery(clientId.value, after)}`),
  (before, after) => ({ ...after, waivers: [...before.waivers, ...after.waivers] }),
  { topics: ['policy'], sources: [clientId] },
)
const waived = computed(() => waivers.data.value?.waivers ?? [])
const groupings = { need: 'what is missing', client: 'client', device: 'device' } as const
/** What somebody looks into, with every device that it is about. */
const chosen = ref<{ of: string; gaps: GapView[]; devices: GapDevice[] } | null>(null)
const keyOf = ({ need, instance, uncollected, unwatched, trouble }: GapView) =>
  JSON.stringify([need, instance, uncollected, unwatched, trouble])
const groupKey = (group: GapGroupView) => `${by.value} ${group.deviceId ?? group.clientId ?? group.title}`
/** What somebody has to put right on the machine itself cannot be added from here. */
const closable = (gaps: readonly GapView[]) => gaps.filter((gap) => gap.unwatched || !gap.trouble)
function where({ devices, total }: GapView): string {
  const names = devices.map((device) => device.name).join(', ')
  return total > devices.length ? `${names} and ${total - devices.length} more` : names
}
async function choose(group: GapGroupView, gaps: GapView[]): Promise<void> {
  const within: GapsWithin = {
    gaps: gaps.map(({ need, instance, uncollected, unwatched, trouble }) => ({
      need,
      instance,
      uncollected,
      unwatched,
      trouble,
    })),
    clientId: group.clientId ?? session.clientId,
    deviceId: group.deviceId,
  }
  const devices = await attempt(() => api.post<GapDevice[]>('/coverage/devices', within))
  if (devices) chosen.value = { of: groupKey(group), gaps, devices }
}
const isChosen = (group: GapGroupView, gap: GapView) =>
  chosen.value?.of === groupKey(group) && chosen.value.gaps.some((other) => keyOf(other) === keyOf(gap))
watch(by, () => {
  chosen.value = null
})
async function closed(): Promise<void> {
  chosen.value = null
  await Promise.all([props.coverage.refresh(), waivers.refresh()])
}
async function tellAgain(waiver: WaiverView): Promise<void> {
  if (!(await attempt(() => api.delete(`/devices/${waiver.device.id}/waivers`)))) return
  done(`What ${waiver.device.name} does not have is shown again.`)
  await closed()
}
const gapColumns = computed(() => [
  { key: 'what', width: 260, grow: 1 },
  ...(by.value === 'device' ? [] : [{ key: 'where', width: 340 }]),
  { key: 'acts', width: 180, align: 'right' as const, tight: true },
])
const waiverColumns = [
  { key: 'device', title: 'Device' },
  { key: 'what', title: 'What' },
  { key: 'why', title: 'Why' },
  { key: 'acts', align: 'right', tight: true },
] as const
</script>

<template>
  <div class="two">
    <div>
      <div class="head by">
        <span class="muted">Grouped by</span>
        <button
          v-for="grouping in gapGroupings"
          :key="grouping"
          class="link"
          :class="{ on: by === grouping }"
          :aria-pressed="by === grouping"
          @click="by = grouping"
        >{{ groupings[grouping] }}</button>
      </div>
      <StateNotice
        :error="coverage.error.value"
        :loading="!page"
        :empty="page && !page.groups.length ? 'Everything that the roles of these devices need is collected and watched.' : ''"
        @again="coverage.refresh"
      />
      <section v-for="group in page?.groups" :key="groupKey(group)" :aria-label="group.title">
        <h2><RouterLink v-if="group.deviceId" class="mono" :to="`/estate/${group.deviceId}`">{{ group.title }}</RouterLink><template v-else>{{ group.title }}</template> <button v-if="closable(group.gaps).length > 1" class="link all" @click="choose(group, closable(group.gaps))">see
            what all {{ closable(group.gaps).length }} would add</button></h2>
        <ShortTable
          :label="`Missing: ${group.title}`"
          :rows="group.gaps"
          :columns="gapColumns"
          :row-key="keyOf"
          even
          :row-class="(gap) => (isChosen(group, gap) ? 'chosen' : '')"
        >
          <template #what="{ row: gap }"><b>{{ gapWords(gap).name }}</b> {{ gapWords(gap).rest }}</template>
          <template #where="{ row: gap }">
            <span class="where" :title="gap.devices.map((device) => `${device.name}, ${device.clientName}`).join('\n')"><b>{{ countText(gap.total, 'device') }}</b> <span class="mono">{{ where(gap) }}</span></span>
          </template>
          <template #acts="{ row: gap }">
            <button v-if="closable([gap]).length" class="link" @click="choose(group, [gap])">see what it would add</button>
          </template>
        </ShortTable>
      </section>
      <NearEnd v-if="page?.rest" :rest="page.rest" @near="coverage.more" />
      <details v-if="waived.length" class="more">
        <summary>{{ countText(waivers.data.value?.total ?? 0, 'thing') }} marked as not needed</summary>
        <ShortTable label="Marked as not needed" :rows="waived" :columns="waiverColumns" :row-key="(waiver) => `${waiver.device.id} ${waiver.need} ${waiver.instance}`">
          <template #device="{ row: waiver }"><span class="mono">{{ waiver.device.name }}</span></template>
          <template #what="{ row: waiver }">{{ waiver.instance }}</template>
          <template #why="{ row: waiver }"><span class="muted">{{ waiver.reason }} <span class="faint">{{ waiver.by }}</span></span></template>
          <template #acts="{ row: waiver }"><button class="link" @click="tellAgain(waiver)">show it again</button></template>
        </ShortTable>
        <NearEnd
          v-if="waivers.data.value?.next"
          :key="waived.length"
          :rest="waivers.data.value.total - waived.length"
          @near="waivers.more"
        />
      </details>
      <CollectRules />
    </div>
    <GapRemedy
      v-if="chosen"
      :key="chosen.of + chosen.gaps.map(keyOf).join()"
      :gaps="chosen.gaps"
      :devices="chosen.devices"
      @closed="closed"
      @leave="chosen = null"
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
@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
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
  white-space: nowrap;
}
.more {
  margin-top: 18px;
}
summary {
  cursor: pointer;
  color: var(--act);
}
</style>
