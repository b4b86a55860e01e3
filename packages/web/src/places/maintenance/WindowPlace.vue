<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import type { ChangeScope, OccurrenceView, WindowAdvice, WindowPage } from '#contract'
import { day, type HeldOutcome, type WindowSubject } from '#core'
import { outcomeText } from '../../parts/format/alertWords'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import TrailSection from '../setup/trail/TrailSection.vue'
import { useSession } from '../../parts/data/session'
import { confirmed } from '../../parts/ui/confirm'
import { attempt, done } from '../../parts/ui/notify'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { dayText, exactText, fullText, now } from '../../parts/format/time'
import { copyOf, formOf, type WindowForm } from './draft/form'
import WindowDialog from './draft/WindowDialog.vue'
import HeldRecord from './record/HeldRecord.vue'
import RevisionList from './record/RevisionList.vue'
import UncoveredAlerts from './record/UncoveredAlerts.vue'
import WindowSentence from './record/WindowSentence.vue'
import WindowTimes from './record/WindowTimes.vue'

const route = useRoute()
const session = useSession()
const id = computed(() => String(route.params.id))
const { data, error, refresh } = useResource(() => api.get<WindowPage>(`/windows/${id.value}`), {
  topics: ['windows', 'alerts'],
  sources: [id],
})
/** The time whose record is looked at; null: of all. */
const chosen = ref<number | null>(null)
const editing = ref<{ changed?: WindowPage; form?: WindowForm; scope?: ChangeScope } | null>(null)
function change(occurrence: OccurrenceView): void {
  const { start, from, until } = occurrence
  editing.value = { changed: { ...data.value!, start, from, until }, scope: data.value!.rule ? 'one' : 'all' }
}
function fit(subject: WindowSubject): void {
  editing.value = { changed: data.value!, form: { ...formOf(data.value!), subject } }
}
const isLive = computed(
  () =>
    data.value !== null &&
    (data.value.coming.length > 0 ||
      data.value.past.some(({ until, endedAt }) => Math.min(until ?? Infinity, endedAt ?? Infinity) > now.value)),
)
const heldCount = computed(() => (data.value?.endings ?? []).reduce((sum, { count }) => sum + count, 0))
const counted: Partial<Record<HeldOutcome, string>> = { raised: 'raised at the end', cleared: 'well before the end' }
/** How what it held has ended, and how often. */
const endingsText = computed(() =>
  (data.value?.endings ?? [])
    .map(({ outcome, count }) => `${count} ${outcome ? (counted[outcome] ?? outcomeText(outcome)) : 'held now'}`)
    .join(', '),
)
const adviceWords: Record<WindowAdvice, string> = {
  'never-held': 'It has come at least five times and never held anything back. It may not be needed any more.',
  overruns:
    'More often than not something on its devices was raised at its end or soon after: the work takes longer than the window.',
  review: 'The day of its review has come: is it still needed?',
}
async function stop(): Promise<void> {
  if (
    !(await confirmed(
      'End this window for good? What still fails is raised at once, and nothing of it comes any more.',
      'End it for good',
    ))
  )
    return
  if (await attempt(() => api.post(`/windows/${id.value}/end`, { why: '' }))) done('Ended for good.')
}
async function reviewed(): Promise<void> {
  const at = Date.now() + 30 * day
  if (await attempt(() => api.post(`/windows/${id.value}/review`, { reviewAt: at, why: 'still needed' })))
    done(`Still needed. To be looked at again on ${dayText(at)}.`)
}
</script>

<template>
  <div class="page">
    <p><RouterLink to="/maintenance">Maintenance</RouterLink></p>
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <template v-if="data">
      <div class="head">
        <h1>{{ data.name }}</h1><span class="muted">{{ data.reason }}</span>
        <span v-if="session.mayChange" class="end">
          <button v-if="isLive" class="btn" @click="editing = { changed: data }">Change</button>
          <button class="btn" @click="editing = { form: copyOf(data) }">Copy</button>
          <button v-if="isLive" class="btn" @click="stop">{{ data.rule ? 'End for good' : 'End it' }}</button>
        </span>
      </div>
      <WindowSentence :window="data" />
      <p class="muted">{{ data.deviceCount }} devices now. Owner {{ data.owner ?? data.createdBy }}<template v-if="data.ticket">, ticket
          <a
            v-if="/^https?:\/\//.test(data.ticket)"
            :href="data.ticket"
            rel="noreferrer noopener"
            target="_blank"
          >{{ data.ticket }}</a><b v-else>{{ data.ticket }}</b></template>.
        Made by {{ data.createdBy }} <span :title="exactText(data.createdAt)">{{ fullText(data.createdAt) }}</span><template v-if="data.reviewAt">, to be reviewed on {{ dayText(data.reviewAt) }}</template><template v-if="data.continues">, goes on from
          <RouterLink :to="`/maintenance/${data.continues.id}`">{{ data.continues.name }}</RouterLink></template>.</p>
      <p v-for="advice in data.advice" :key="advice" class="advice">{{ adviceWords[advice] }}
        <template v-if="session.mayChange">
          <button v-if="advice === 'never-held'" class="btn" @click="stop">End it for good</button>
          <button
            v-if="advice === 'overruns'"
            class="btn"
            @click="editing = { changed: data, form: { ...formOf(data), length: (data.length ?? 0) * 1.5 } }"
          >Make it half as long again</button>
          <button v-if="advice === 'review'" class="btn" @click="reviewed">Still needed for 30 days</button>
          <button v-if="advice === 'review'" class="btn" @click="stop">End it for good</button>
        </template></p>
      <WindowTimes :window="data" :chosen="chosen" @change="change" @choose="(occurrence) => { chosen = occurrence }" />
      <UncoveredAlerts
        v-if="chosen !== null"
        :window-id="data.id"
        :occurrence="chosen"
        :subject="data.subject"
        :zone="data.zone"
        :may-change="session.mayChange && isLive"
        @fit="fit"
      />
      <h2>Record <template v-if="chosen !== null"><span class="muted">of one time</span> <button
        class="link"
        @click="chosen = null"
      >of all</button></template></h2>
      <p v-if="data.endings.length" class="muted">Held {{ heldCount }}: {{ endingsText }}.</p>
      <HeldRecord :window-id="data.id" :occurrence="chosen" :zone="data.zone" />
      <RevisionList :window="data" />
      <TrailSection v-if="session.isStaff" :id="data.id" kind="window" :topics="['windows']" />
      <WindowDialog
        v-if="editing"
        :changed="editing.changed"
        :written="editing.form"
        :scope="editing.scope"
        @close="editing = null"
        @saved="(saved) => saved !== data!.id && $router.push(`/maintenance/${saved}`)"
      />
    </template>
  </div>
</template>

<style scoped>
h2 {
  margin: 18px 0 4px;
}
.end {
  display: flex;
  gap: 6px;
}
.advice {
  border-left: 3px solid var(--warning);
  padding: 4px 10px;
  margin: 8px 0;
}
.advice .btn {
  margin-left: 8px;
}
</style>
