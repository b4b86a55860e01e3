<script setup lang="ts">
import { ref, toRef } from 'vue'
import type { LaneSpan, WindowList, WindowPage } from '#contract'
import type { Millis } from '#core'
import { api } from '../../parts/data/api'
import { useClientInAddress } from '../../parts/data/clientInAddress'
import { useKeys } from '../../parts/shell/keys'
import { partQuery, useParts } from '../../parts/data/parts'
import { useSession } from '../../parts/data/session'
import { attempt } from '../../parts/ui/notify'
import NearEnd from '../../parts/ui/NearEnd.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { formOf, type Begin } from './draft/form'
import WindowDialog from './draft/WindowDialog.vue'
import LanesPart from './lanes/LanesPart.vue'
import StandingSilence from './StandingSilence.vue'
import WindowTable from './WindowTable.vue'

const session = useSession()
useClientInAddress()
/** What is being written: a new window, or another time for one that was moved on its lane. */
const planning = ref<{ begin?: Begin; changed?: WindowPage; from?: Millis; until?: Millis } | null>(null)
const groups = (
  [
    { group: 'open', title: 'In force', empty: 'No window holds anything back now.' },
    { group: 'coming', title: 'To come', empty: 'Nothing is planned.' },
    { group: 'over', title: 'Over', empty: 'No window has ended yet.' },
  ] as const
).map((about) => ({
  ...about,
  list: useParts(
    (after) => {
      const query = partQuery(session.clientId, after)
      query.set('group', about.group)
      return api.get<WindowList>(`/windows?${query}`)
    },
    (before, after) => ({ ...after, windows: [...before.windows, ...after.windows] }),
    { topics: ['windows', 'alerts'], sources: [toRef(session, 'clientId')] },
  ),
}))
const [open, coming] = [groups[0]!, groups[1]!]
function plan(begin?: Partial<Begin>): void {
  if (session.mayChange)
    planning.value = { begin: { clientId: session.clientId ?? session.clients[0]?.id ?? 0, ...begin } }
}
function drawn(lane: { clientId: number; siteId: number | null }, from: Millis, until: Millis): void {
  plan({ clientId: lane.clientId, ...(lane.siteId ? { siteId: lane.siteId } : {}), from, length: until - from })
}
async function moved(span: LaneSpan, from: Millis, until: Millis): Promise<void> {
  const page = await attempt(() => api.get<WindowPage>(`/windows/${span.windowId}`))
  if (page)
    planning.value = { changed: { ...page, start: span.start, from: span.from, until: span.until }, from, until }
}
/** Its form, at the time that it was moved to. */
const movedForm = ({ changed, from, until }: NonNullable<typeof planning.value>) =>
  changed && from !== undefined && until !== undefined ? formOf({ ...changed, from, until }, changed.start) : undefined
useKeys('Maintenance', [
  {
    key: 'a',
    does: 'plan a window',
    run: () => {
      plan()
    },
  },
])
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Maintenance</h1>
      <span
        v-if="open.list.data.value && coming.list.data.value"
        class="muted"
      >{{ open.list.data.value.total }} in force, {{ coming.list.data.value.total }} to come</span>
      <span class="end">
        <RouterLink class="btn" to="/maintenance/calendar">Calendars</RouterLink>
        <button v-if="session.mayChange" class="btn main" @click="plan()">Plan a window <kbd>a</kbd></button>
      </span>
    </div>
    <LanesPart @draw="drawn" @moved="moved" />
    <section v-for="{ group, title, empty, list } in groups" :key="group">
      <h2>{{ title }} <span v-if="list.data.value" class="faint">{{ list.data.value.total }}</span></h2>
      <StateNotice
        :error="list.error.value"
        :loading="!list.data.value"
        :empty="list.data.value?.windows.length === 0 ? empty : ''"
        @again="list.refresh"
      />
      <template v-if="list.data.value?.windows.length">
        <WindowTable :windows="list.data.value.windows" />
        <NearEnd
          v-if="list.data.value.next"
          :rest="list.data.value.total - list.data.value.windows.length"
          @near="list.more"
        />
      </template>
    </section>
    <StandingSilence v-if="session.mayChange" />
    <WindowDialog
      v-if="planning"
      :begin="planning.begin"
      :changed="planning.changed"
      :written="movedForm(planning)"
      :scope="planning.changed ? 'one' : undefined"
      @close="planning = null"
    />
  </div>
</template>

<style scoped>
section {
  margin-top: 18px;
}
h2 {
  margin-bottom: 4px;
}
.end {
  display: flex;
  gap: 8px;
}
</style>
