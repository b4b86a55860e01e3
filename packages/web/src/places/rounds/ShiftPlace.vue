<script setup lang="ts">
import { computed } from 'vue'
import type { AlertView, HeldView, RemediationView, Rounds } from '#contract'
import { countText, numberText } from '#core'
import { useAddressed } from '../../parts/data/addressed'
import { api } from '../../parts/data/api'
import { useClientInAddress } from '../../parts/data/clientInAddress'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import {
  alertWords,
  causeText,
  endText,
  flipText,
  followUpText,
  outcomeText,
  pastWords,
} from '../../parts/format/alertWords'
import { fullText, lengthText, now, shortText } from '../../parts/format/time'
import ChoiceField from '../../parts/ui/ChoiceField.vue'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { sinceTimes } from './sinceTimes'

/** What one shift hands over to the next: who has what, what was promised, and what went on since a time. */
const session = useSession()
useClientInAddress()
const times = sinceTimes(new Date())
const since = useAddressed('since', '8h')
const from = computed(() => times.find(({ name }) => name === since.value)?.at ?? times[0]!.at)
const most = 300
const client = computed(() => session.clientId)
const { data, error, refresh } = useResource(
  () =>
    api.get<Rounds>(
      `/rounds?limit=${most}&since=${Math.round(from.value)}${client.value === null ? '' : `&client=${client.value}`}`,
    ),
  { topics: ['alerts', 'windows'], sources: [from, client] },
)

interface Entry {
  key: string
  row: AlertView | HeldView | RemediationView
  notes: string[]
}
interface Part {
  title: string
  entries: Entry[]
  total: number
}
const placeOf = ({ deviceName, clientName, siteName }: Entry['row']) =>
  [deviceName, clientName, siteName].filter(Boolean).join(' · ')
function entryOf(row: Entry['row'], more: string[] = []): Entry {
  const notes = 'status' in row ? [causeText(row), flipText(row, now.value), followUpText(row, now.value)] : []
  return { key: `${row.id}${row.began}`, row, notes: [placeOf(row), ...notes, ...more].filter(Boolean) }
}
const over = (row: AlertView) =>
  entryOf(row, row.closedAt === null ? [] : [`until ${fullText(row.closedAt)}, ${lengthText(row.closedAt - row.began)}`, endText(row)])
const parts = computed((): Part[] => {
  const rounds = data.value
  if (!rounds) return []
  const taken = rounds.working.rows.filter(({ takenBy }) => takenBy !== null)
  const hidden = rounds.working.rows.filter(({ takenBy }) => takenBy === null)
  const people = [...new Set(taken.map(({ takenBy }) => takenBy!))].sort()
  const of = (name: string) => taken.filter(({ takenBy }) => takenBy === name)
  const offered = [...rounds.todo.rows, ...taken].filter(({ offeredTo }) => offeredTo !== null)
  const all: Part[] = [
    ...people.map((name) => ({
      title: `${name} has`,
      // What was promised first, the nearest of it at the top.
      entries: of(name)
        .toSorted((a, b) => (a.followUpAt ?? Infinity) - (b.followUpAt ?? Infinity))
        .map((row) => entryOf(row)),
      total: of(name).length,
    })),
    {
      title: 'Handed over, not accepted yet',
      entries: offered.map((row) => entryOf(row, [`to ${row.offeredTo} by ${row.offeredBy}${row.offeredWord ? `: “${row.offeredWord}”` : ''}`])),
      total: offered.length,
    },
    { title: 'Nobody has', entries: rounds.todo.rows.map((row) => entryOf(row)), total: rounds.todo.total },
    {
      title: 'Hidden until a time',
      entries: hidden.map((row) => entryOf(row, row.hiddenUntil === null ? [] : [`until ${shortText(row.hiddenUntil)}`])),
      total: hidden.length,
    },
    {
      title: 'Held by maintenance',
      entries: rounds.held.rows.map((row) => entryOf(row, [row.windowName])),
      total: rounds.held.total,
    },
    { title: 'Closed by hand', entries: rounds.dismissed.rows.map(over), total: rounds.dismissed.total },
    { title: 'Over', entries: rounds.settled.rows.map(over), total: rounds.settled.total },
    {
      title: 'Put right by agents, nobody was told',
      entries: rounds.remediated.rows.map((row) => entryOf(row, row.outcome ? [outcomeText(row.outcome)] : [])),
      total: rounds.remediated.total,
    },
  ]
  return all.filter(({ total }) => total > 0)
})
const isOver = (row: Entry['row']) => ('status' in row ? row.closedAt : row.endedAt) !== null
const wordsOf = (row: Entry['row']) => (isOver(row) ? pastWords(row) : alertWords(row))
const print = () => {
  window.print()
}
</script>

<template>
  <article class="page">
    <div class="head">
      <h1>Shift</h1>
      <span class="muted">as of {{ fullText(now) }}<template v-if="session.person">, for {{ session.person.name }}</template></span>
      <span class="end"><button class="link" @click="print">Print</button></span>
    </div>
    <p class="sentence">Who has what, and what went on since
      <ChoiceField v-model="since" label="Since">
        <option v-for="time in times" :key="time.name" :value="time.name">{{ time.text }}</option>
      </ChoiceField>, {{ fullText(from) }}.</p>
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <p v-if="data && !parts.length" class="muted">Nothing is open, and nothing went on since then.</p>
    <section v-for="part in parts" :key="part.title" :aria-label="part.title">
      <h2>{{ part.title }} <span class="faint">{{ numberText(part.total) }}</span></h2>
      <p v-for="{ key, row, notes } in part.entries" :key="key" class="line">
        <SeverityMark :state="isOver(row) ? 'settled' : row.severity" />
        <span><RouterLink v-if="'status' in row" :to="`/alerts/${row.id}`"><b>{{ wordsOf(row).strong }}</b> {{ wordsOf(row).rest }}</RouterLink><template v-else><b>{{ wordsOf(row).strong }}</b> {{ wordsOf(row).rest }}</template>
          <small>{{ notes.join(' · ') }}</small></span>
        <time class="muted">{{ fullText(row.began) }}</time>
      </p>
      <p v-if="part.total > part.entries.length" class="muted">and {{ countText(part.total - part.entries.length, 'more', 'more') }}: they stand in
        <RouterLink to="/rounds">Rounds</RouterLink></p>
    </section>
  </article>
</template>

<style scoped>
h2 {
  border-top: 1.5px solid var(--ink);
  padding-top: 7px;
  margin-top: 12px;
  font-size: 15px;
}
h2 span {
  font: 14px var(--sans);
}
.line {
  display: grid;
  grid-template-columns: 13px minmax(0, 1fr) auto;
  gap: 12px;
  align-items: baseline;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule2);
  break-inside: avoid;
}
small {
  display: block;
  font-size: 12.5px;
  color: var(--ink2);
}
</style>
