<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { AlertView, HeldView, RemediationView, Rounds } from '#contract'
import { api } from '../../parts/data/api'
import { useKeys } from '../../parts/shell/keys'
import { attempt, done } from '../../parts/ui/notify'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { clockText, now, shortText } from '../../parts/format/time'
import AlertPanel from './AlertPanel.vue'
import NoticeList from './NoticeList.vue'
import RoundRow from './RoundRow.vue'

const session = useSession()
const route = useRoute()
const router = useRouter()
const { data, error, refresh } = useResource(() => api.get<Rounds>('/rounds'), { topics: ['alerts', 'windows'] })

function shown<T extends { clientId: number; began: number }>(
  list: T[] | undefined,
  end: (row: T) => number | null,
): T[] {
  const { span } = session
  return (list ?? []).filter(
    (row) =>
      session.inView(row.clientId) && (!span || (row.began <= span.until && (end(row) ?? now.value) >= span.from)),
  )
}
const groups = computed(() => {
  const rounds = data.value
  const over = (alert: AlertView) => alert.closedAt
  return [
    { key: 'todo', title: 'To do', rows: shown(rounds?.todo, over), note: '' },
    {
      key: 'working',
      title: 'Being worked on',
      rows: [...shown(rounds?.working, over), ...shown<RemediationView>(rounds?.remediation, (row) => row.endedAt)],
      note: '',
    },
    { key: 'held', title: 'Held by maintenance', rows: shown<HeldView>(rounds?.held, (row) => row.endedAt), note: '' },
    {
      key: 'settled',
      title: `Settled by itself since ${rounds ? shortText(rounds.lookedAt) : ''}`,
      rows: [...shown(rounds?.settled, over), ...shown<RemediationView>(rounds?.remediated, (row) => row.endedAt)],
      note: '',
    },
  ].filter((group) => group.key === 'todo' || group.rows.length > 0)
})
const rows = computed(() => groups.value.flatMap((group) => group.rows.map((row) => ({ group: group.key, row }))))
const keyOf = (group: string, row: AlertView | HeldView | RemediationView) =>
  group === 'held' ? `held-${row.id}` : 'attempts' in row ? `remediation-${row.id}` : `alert-${row.id}`
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
    ? (data.value?.held.find((record) => record.id === Number(chosen.value!.slice(5))) ?? null)
    : null,
)
const chosenRemediation = computed(() =>
  chosen.value?.startsWith('remediation-')
    ? ([...(data.value?.remediation ?? []), ...(data.value?.remediated ?? [])].find(
        (record) => record.id === Number(chosen.value!.slice(8)),
      ) ?? null)
    : null,
)
const fresh = computed(
  () =>
    data.value?.todo.filter((alert) => session.inView(alert.clientId) && alert.raisedAt > data.value!.lookedAt).length ?? 0,
)

function move(by: number): void {
  const at = rows.value.findIndex((row) => keyOf(row.group, row.row) === chosen.value)
  const next = rows.value[Math.max(0, Math.min(rows.value.length - 1, at + by))]
  if (!next) return
  chosen.value = keyOf(next.group, next.row)
  document.getElementById(chosen.value)?.scrollIntoView({ block: 'nearest' })
}
async function looked(): Promise<void> {
  if (await attempt(() => api.post('/rounds/looked'))) {
    await session.load()
    await refresh()
    done('Marked as seen. From now on, only what settles by itself later is shown as new.')
  }
}
useKeys('Rounds', [
  { key: 'j', does: 'next', run: () => move(1) },
  { key: 'ArrowDown', does: 'next', run: () => move(1) },
  { key: 'k', does: 'previous', run: () => move(-1) },
  { key: 'ArrowUp', does: 'previous', run: () => move(-1) },
  {
    key: 'Enter',
    does: 'open the device',
    run: () => {
      const found = rows.value.find((row) => keyOf(row.group, row.row) === chosen.value)
      if (found) void router.push(`/estate/${found.row.deviceId}`)
    },
  },
  { key: '.', does: 'all of this is seen', run: () => void looked() },
])
</script>

<template>
  <div class="rounds">
    <section class="list page">
      <div class="head">
        <h1>Rounds</h1>
        <span v-if="data" class="muted">{{ groups[0]!.rows.length }} to do<template v-if="fresh">, {{ fresh }} of them new since {{ shortText(data.lookedAt) }}</template></span>
        <span class="end">
          <button v-if="session.span" class="link" @click="session.span = null">{{ clockText(session.span.from) }} –
            {{ clockText(session.span.until) }} only: show all <kbd>n</kbd></button>
          <button class="link" @click="looked">Mark all as seen <kbd>.</kbd></button>
        </span>
      </div>
      <NoticeList />
      <StateNotice :error="error" :loading="!data" @again="refresh" />
      <section v-for="group in data ? groups : []" :key="group.key" :aria-label="group.title">
        <h2>{{ group.title }} <span class="faint">{{ group.rows.length }}</span></h2>
        <RoundRow
          v-for="row in group.rows"
          :id="keyOf(group.key, row)"
          :key="keyOf(group.key, row)"
          :row="row"
          :group="group.key"
          :chosen="chosen === keyOf(group.key, row)"
          @choose="chosen = keyOf(group.key, row)"
        />
        <p v-if="!group.rows.length" class="calm">Nothing needs a person{{ session.span ? ' in this span' : '' }}.</p>
      </section>
    </section>
    <AlertPanel
      v-if="chosenAlert || chosenHeld || chosenRemediation"
      :key="chosen!"
      class="panel"
      :alert-id="chosenAlert"
      :held="chosenHeld"
      :remediation="chosenRemediation"
      @changed="refresh"
    />
  </div>
</template>

<style scoped>
.rounds {
  display: grid;
  grid-template-columns: 1fr 452px;
  height: 100%;
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
