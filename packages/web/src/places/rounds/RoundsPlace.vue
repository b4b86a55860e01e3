<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, defineAsyncComponent, ref, useTemplateRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { AlertView, Looked, RequestPart, RoundsGroup, RoundsRow } from '#contract'
import { countText, numberText, type Millis } from '#core'
import { useNarrow } from '../../look/narrow'
import { useAddressed } from '../../parts/data/addressed'
import { asOf } from '../../parts/data/asOf'
import { api } from '../../parts/data/api'
import { useClientInAddress } from '../../parts/data/clientInAddress'
import { useKeys } from '../../parts/shell/keys'
import { alertWords } from '../../parts/format/alertWords'
import { attempt, undoable } from '../../parts/ui/notify'
import { useSession } from '../../parts/data/session'
import NearEnd from '../../parts/ui/NearEnd.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { clockText, shortText } from '../../parts/format/time'
import AlertPanel from './AlertPanel.vue'
import NoticeList from './NoticeList.vue'
import RoundRow from './RoundRow.vue'
import { useRounds } from './rounds'
import { useRequests } from '../requests/requests'
import RequestGroup from '../requests/RequestGroup.vue'
import { sinceTimes } from './sinceTimes'

// Of no use before the list is there; the first page does without it.
const AlertActs = defineAsyncComponent(() => import('./AlertActs.vue'))
const NarrowPanel = defineAsyncComponent(() => import('../../parts/ui/NarrowPanel.vue'))
const RoundsNarrow = defineAsyncComponent(() => import('./RoundsNarrow.vue'))
const WindowDialog = defineAsyncComponent(() => import('../maintenance/draft/WindowDialog.vue'))
const FirstSteps = defineAsyncComponent(() => import('./FirstSteps.vue'))
const HouseTroubles = defineAsyncComponent(() => import('./HouseTroubles.vue'))
const RequestBody = defineAsyncComponent(() => import('../requests/RequestBody.vue'))
const SavedViews = defineAsyncComponent(() => import('../../parts/ui/SavedViews.vue'))
const session = useSession()
const route = useRoute()
const router = useRouter()
useClientInAddress()
const words = useAddressed('words')
const narrow = {
  severity: useAddressed('severity'),
  family: useAddressed('family'),
  age: useAddressed('age'),
  who: useAddressed('who'),
}
const since = useAddressed('since')
const isNarrowed = computed(() => since.value !== '' || Object.values(narrow).some(({ value }) => value !== ''))
const isNarrowing = ref(isNarrowed.value)
const query = computed(() => {
  const asked = new URLSearchParams()
  if (session.clientId !== null) asked.set('client', String(session.clientId))
  if (words.value) asked.set('words', words.value)
  for (const [name, { value }] of Object.entries(narrow)) if (value) asked.set(name, value)
  const time = sinceTimes(new Date(asOf.value ?? Date.now())).find(({ name }) => name === since.value)
  // What came and went in the span is told, however long one has looked since.
  if (time ?? session.span) asked.set('since', String(Math.round(time?.at ?? session.span!.from)))
  if (session.span) {
    asked.set('from', String(Math.round(session.span.from)))
    asked.set('until', String(Math.round(session.span.until)))
  }
  return asked.toString()
})
const list = useTemplateRef<HTMLElement>('list')
const { data, error, waiting, isAsking, more, refresh } = useRounds(query, () => (list.value?.scrollTop ?? 0) > 0)

/** Mail has neither severity nor family, and is told as it is now. */
const requestQuery = computed(() => {
  if (!session.isStaff || asOf.value !== null || session.span || narrow.severity.value || narrow.family.value || narrow.age.value)
    return null
  const asked = new URLSearchParams()
  if (session.clientId !== null) asked.set('client', String(session.clientId))
  if (words.value) asked.set('words', words.value)
  if (narrow.who.value) asked.set('who', narrow.who.value)
  return asked.toString()
})
const requests = useRequests(requestQuery, () => data.value?.since ?? null)
/** Of those that wait the first stand above the alerts; all of them would hide what is critical. */
const mostAbove = 5
const allAbove = ref(false)
const openRequests = computed(() => {
  const part = requests.data.value?.open
  return part && !allAbove.value ? { ...part, rows: part.rows.slice(0, mostAbove) } : part
})
/** Those that wait for nobody stand below the alerts. */
const laterRequests = computed(() =>
  ([['taken', 'Asked by mail, being worked on'], ['closed', 'Asked by mail, closed']] as const).flatMap(([kind, title]) => {
    const part = requests.data.value?.[kind]
    return part?.total ? [{ kind, title, part }] : []
  }),
)

interface Group {
  key: string
  title: string
  rows: RoundsRow[]
  total: number
  parts: RoundsGroup[]
}
const groups = computed((): Group[] => {
  const rounds = data.value
  if (!rounds) return []
  const group = (key: string, title: string, ...parts: RoundsGroup[]): Group => ({
    key,
    title,
    parts,
    rows: parts.flatMap((part): RoundsRow[] => rounds[part].rows),
    total: parts.reduce((sum, part) => sum + rounds[part].total, 0),
  })
  return [
    group('todo', 'To do', 'todo'),
    group('working', 'Being worked on', 'working', 'remediation'),
    group('held', 'Held by maintenance', 'held'),
    group('settled', `Over since ${shortText(rounds.since)}`, 'settled', 'remediated'),
    group('dismissed', `Closed by hand since ${shortText(rounds.since)}`, 'dismissed'),
  ].filter(({ key, total }) => key === 'todo' || total > 0)
})
function moreOf(group: Group): void {
  const part = group.parts.find((name) => data.value?.[name].next)
  if (part) void more(part)
}
const rows = computed(() => groups.value.flatMap((group) => group.rows.map((row) => ({ group: group.key, row }))))
const keyOf = (group: string, row: RoundsRow) =>
  group === 'held' ? `held-${row.id}` : 'attempts' in row ? `remediation-${row.id}` : `alert-${row.id}`
/** In the order in which they stand. */
const requestKeys = (part: RequestPart | undefined) => (part?.rows ?? []).map(({ id }) => `request-${id}`)
const keys = computed(() => [
  ...requestKeys(openRequests.value),
  ...rows.value.map(({ group, row }) => keyOf(group, row)),
  ...laterRequests.value.flatMap(({ part }) => requestKeys(part)),
])
const chosen = ref<string | null>(null)
watch(
  () => route.query.alert,
  (id) => {
    if (id) chosen.value = `alert-${String(id)}`
  },
  { immediate: true },
)
watch(
  rows,
  (list) => {
    if (chosen.value === null && list[0]) chosen.value = keyOf(list[0].group, list[0].row)
  },
  { immediate: true },
)
const chosenAlert = computed(() => (chosen.value?.startsWith('alert-') ? Number(chosen.value.slice(6)) : null))
const chosenHeld = computed(() =>
  chosen.value?.startsWith('held-')
    ? (data.value?.held.rows.find((record) => record.id === Number(chosen.value!.slice(5))) ?? null)
    : null,
)
const chosenRemediation = computed(() =>
  chosen.value?.startsWith('remediation-')
    ? ([...(data.value?.remediation.rows ?? []), ...(data.value?.remediated.rows ?? [])].find(
        (record) => record.id === Number(chosen.value!.slice(8)),
      ) ?? null)
    : null,
)
const chosenRequest = computed(() => (chosen.value?.startsWith('request-') ? Number(chosen.value.slice(8)) : null))
const panel = computed(() =>
  chosenAlert.value !== null || chosenHeld.value || chosenRemediation.value
    ? { alertId: chosenAlert.value, held: chosenHeld.value, remediation: chosenRemediation.value }
    : null,
)
/** Where there is no room beside the list, it lies over it once somebody asks for it. */
const isNarrow = useNarrow()
const isOpened = ref(false)
function show(key: string): void {
  chosen.value = key
  isOpened.value = true
}
function move(by: number): void {
  const at = keys.value.indexOf(chosen.value ?? '')
  const key = keys.value[Math.max(0, Math.min(keys.value.length - 1, at + by))]
  if (key === undefined) return
  // Before its end is reached, the next part of the group is asked for.
  const next = rows.value.find((row) => keyOf(row.group, row.row) === key)
  const group = groups.value.find((each) => each.key === next?.group)
  if (next && group && group.rows.indexOf(next.row) > group.rows.length - 10) moreOf(group)
  chosen.value = key
  document.getElementById(chosen.value)?.scrollIntoView({ block: 'nearest' })
}
async function looked(at?: Millis): Promise<void> {
  const answer = await attempt(() => api.post<Looked>('/rounds/looked', at === undefined ? {} : { at }))
  if (!answer) return
  await session.load()
  await refresh()
  // One key, pressed by mistake, would forget what the night has brought.
  if (at === undefined)
    undoable('Marked as seen: what settles by itself later is shown as new.', () => void looked(answer.before))
}
/** Alerts chosen to do something with several at once; null: nobody is choosing. */
const picked = ref<ReadonlyMap<number, AlertView> | null>(null)
function pick(row: RoundsRow): void {
  if (!('status' in row)) return
  const next = new Map(picked.value)
  if (!next.delete(row.id)) next.set(row.id, row)
  picked.value = next
}
const pickedState = (row: RoundsRow) => (picked.value && 'status' in row ? picked.value.has(row.id) : null)
/** The posts of those that are still open and about a device. */
const holdable = computed(() =>
  [...(picked.value?.values() ?? [])].flatMap(({ deviceId, watch, instance, status }) =>
    deviceId === null || status === 'closed' ? [] : [{ deviceId, watch, instance }],
  ),
)
const onlyClient = computed(() => {
  const clients = new Set([...(picked.value?.values() ?? [])].map(({ clientId }) => clientId))
  return clients.size === 1 ? [...clients][0]! : null
})
const holding = ref(false)
async function acted(): Promise<void> {
  picked.value = null
  await refresh()
}
async function showNew(): Promise<void> {
  await refresh()
  list.value?.scrollTo({ top: 0 })
}
const narrowed = computed(() => {
  if (words.value || isNarrowed.value) return ' among what you have narrowed it to'
  return session.span ? ' in this span' : ''
})
useKeys('Rounds', [
  { key: 'j', does: 'next', run: () => move(1) },
  { key: 'ArrowDown', does: 'next', run: () => move(1) },
  { key: 'k', does: 'previous', run: () => move(-1) },
  { key: 'ArrowUp', does: 'previous', run: () => move(-1) },
  {
    key: 'Enter',
    does: 'open the device, or the request',
    run: () => {
      if (chosenRequest.value !== null) return void router.push(`/requests/${chosenRequest.value}`)
      const found = rows.value.find((row) => keyOf(row.group, row.row) === chosen.value)
      if (!found) return
      const { row } = found
      void router.push(row.deviceId === null ? `/alerts/${row.id}` : `/estate/${row.deviceId}`)
    },
  },
  {
    key: 'e',
    does: 'open the page of the alert',
    run: () => {
      if (chosenAlert.value !== null) void router.push(`/alerts/${chosenAlert.value}`)
    },
  },
  ...(asOf.value === null ? [{ key: '.', does: 'all of this is seen', run: () => void looked() }] : []),
  ...(session.mayChange
    ? [
        {
          key: 'x',
          does: 'choose this one, to do something with several',
          run: () => {
            const found = rows.value.find((row) => keyOf(row.group, row.row) === chosen.value)
            if (found) pick(found.row)
          },
        },
      ]
    : []),
])
</script>

<template>
  <div class="rounds">
    <section ref="list" class="list page">
      <div class="head">
        <h1>Rounds</h1>
        <span v-if="data" class="muted">{{ isAsking ? '…' : numberText(data.todo.total) }} to do<template v-if="data.fresh && !isAsking && asOf === null">, {{ numberText(data.fresh) }} of them new since {{ shortText(data.lookedAt) }}</template></span>
        <span class="end">
          <button v-if="waiting" class="link" @click="showNew">{{ waiting.fresh ? `${numberText(waiting.fresh)} new: show them` : 'The list has changed: show it anew' }}</button>
          <ElInput
            v-model="words"
            class="narrow"
            size="small"
            clearable
            aria-label="Narrow by words"
            placeholder="narrow by words"
            maxlength="100"
          />
          <button class="link" :aria-expanded="isNarrowing || isNarrowed" @click="isNarrowing = !isNarrowing">narrow</button>
          <SavedViews place="rounds" />
          <button v-if="session.span" class="link" @click="session.span = null">{{ clockText(session.span.from) }} –
            {{ clockText(session.span.until) }} only: show all <kbd>n</kbd></button>
          <button v-if="session.mayChange" class="link" :aria-pressed="picked !== null" @click="picked = picked ? null : new Map()">{{ picked ? 'choose one' : 'choose several' }}</button>
          <RouterLink v-if="asOf === null" class="link" to="/rounds/shift">shift</RouterLink>
          <button v-if="asOf === null" class="link" @click="looked()">Mark all as seen <kbd>.</kbd></button>
        </span>
      </div>
      <HouseTroubles v-if="session.isLead && asOf === null" />
      <FirstSteps v-if="session.isLead && session.person?.clientIds === null && asOf === null && data && !data.todo.total" />
      <RoundsNarrow v-if="isNarrowing || isNarrowed" />
      <NoticeList v-if="asOf === null" />
      <StateNotice :error="error" :loading="!data" @again="refresh" />
      <StateNotice :error="requests.error.value" :loading="false" @again="requests.refresh" />
      <RequestGroup
        v-if="openRequests?.total"
        title="Asked by mail"
        :part="openRequests"
        :chosen="chosen"
        :is-short="!allAbove && openRequests.total > mostAbove"
        @all="allAbove = true"
        @choose="show"
        @more="requests.more('open')"
      />
      <section v-for="group in data ? groups : []" :key="group.key" :aria-label="group.title">
        <h2>{{ group.title }} <span class="faint">{{ isAsking ? '…' : numberText(group.total) }}</span></h2>
        <RoundRow
          v-for="row in group.rows"
          :id="keyOf(group.key, row)"
          :key="keyOf(group.key, row)"
          :row="row"
          :group="group.key"
          :chosen="chosen === keyOf(group.key, row)"
          :picked="pickedState(row)"
          @choose="picked ? pick(row) : show(keyOf(group.key, row))"
        />
        <NearEnd
          v-if="group.rows.length < group.total && group.rows.length"
          :key="group.rows.length"
          :rest="group.total - group.rows.length"
          @near="moreOf(group)"
        />
        <p v-if="!group.rows.length && !isAsking" class="calm">{{ requests.data.value?.open.total ? 'No alert' : 'Nothing' }} needs a person{{ narrowed }}.</p>
      </section>
      <RequestGroup
        v-for="{ kind, title, part } in laterRequests"
        :key="kind"
        :title="title"
        :part="part"
        :chosen="chosen"
        @choose="show"
        @more="requests.more(kind)"
      />
    </section>
    <aside v-if="picked" class="panel several" aria-label="Several at once">
      <h1>{{ countText(picked.size, 'alert') }} chosen</h1>
      <p class="muted">Click on alerts, or go through them with <kbd>j</kbd> and choose with <kbd>x</kbd>.</p>
      <ul>
        <li v-for="alert in picked.values()" :key="alert.id"><b>{{ alertWords(alert).strong }}</b> <span class="mono">{{ alert.deviceName || alert.siteName }}</span></li>
      </ul>
      <AlertActs v-if="picked.size" :alerts="[...picked.values()]" @changed="acted">
        <button v-if="holdable.length && onlyClient !== null" class="btn" @click="holding = true">Hold…</button>
      </AlertActs>
      <WindowDialog
        v-if="holding && onlyClient !== null"
        :begin="{
          clientId: onlyClient,
          deviceIds: [...new Set(holdable.map(({ deviceId }) => deviceId))],
          subject: { of: 'posts', posts: holdable },
        }"
        :devices-name="countText(new Set(holdable.map(({ deviceId }) => deviceId)).size, 'device')"
        @close="holding = false"
      />
      <button class="link" @click="picked = null">none</button>
    </aside>
    <aside v-else-if="chosenRequest !== null && !isNarrow" class="panel several" aria-label="Request">
      <RequestBody :id="chosenRequest" :key="chosen!" @changed="requests.refresh">
        <p><RouterLink :to="`/requests/${chosenRequest}`">its own page</RouterLink></p>
      </RequestBody>
    </aside>
    <AlertPanel v-else-if="panel && !isNarrow" :key="chosen!" class="panel" v-bind="panel" @changed="refresh" />
    <NarrowPanel v-if="chosenRequest !== null && isNarrow && isOpened" title="What is asked" @close="isOpened = false">
      <RequestBody :id="chosenRequest" :key="chosen!" @changed="requests.refresh" />
    </NarrowPanel>
    <NarrowPanel v-if="panel && isNarrow && isOpened" title="What it is about" @close="isOpened = false">
      <AlertPanel :key="chosen!" v-bind="panel" @changed="refresh" />
    </NarrowPanel>
  </div>
</template>

<style scoped>
.narrow {
  width: 150px;
}
.rounds {
  display: grid;
  grid-template-columns: 1fr 452px;
  height: 100%;
}
@media (max-width: 900px) {
  .rounds {
    grid-template-columns: 1fr;
  }
}
.several {
  background: var(--sheet);
  border-left: 1px solid var(--rule);
  padding: 15px 20px 24px;
  overflow: auto;
}
.several ul {
  margin: 8px 0;
  padding: 0;
  list-style: none;
}
.list section {
  margin-top: 12px;
}
h2 {
  border-top: 1.5px solid var(--ink);
  padding-top: 7px;
  font-size: 15px;
}
h2 span {
  font: 14px var(--sans);
  margin-left: 6px;
}
.calm {
  padding: 10px 0 14px;
  font: 16px/24px var(--serif);
  color: var(--ink2);
}
</style>
