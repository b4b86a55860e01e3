<script setup lang="ts">
import { computed, defineAsyncComponent, ref } from 'vue'
import type { AlertPage, HeldView, LogPage, RemediationView, SeriesPage } from '#contract'
import { hour, watchKinds } from '#core'
import { alertWords, causeText, flipText } from '../../parts/format/alertWords'
import DoubtText from '../../parts/ui/DoubtText.vue'
import { whenAddress } from '../../parts/data/whenAddress'
import { postDoubt } from '../../parts/data/known'
import AgeText from '../../parts/ui/AgeText.vue'
import { api } from '../../parts/data/api'
import { asOf } from '../../parts/data/asOf'
import { useKeys } from '../../parts/shell/keys'
import { attempt, done } from '../../parts/ui/notify'
import ReadingLine from '../../parts/ui/ReadingLine.vue'
import { useResource } from '../../parts/data/resource'
import RuleSentence from '../../parts/ui/RuleSentence.vue'
import { useSession } from '../../parts/data/session'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { exactText, fullText, now } from '../../parts/format/time'
import FlipMarks from '../../parts/ui/FlipMarks.vue'
import WhySteps from './WhySteps.vue'

/** Of no use before there is something to do: the first page does without its forms. */
const AlertActs = defineAsyncComponent(() => import('./AlertActs.vue'))

const CauseMembers = defineAsyncComponent(() => import('./CauseMembers.vue'))
/** With its sentence and what it shows beforehand: loaded when somebody plans. */
const HoldDialog = defineAsyncComponent(() => import('./HoldDialog.vue'))

const props = defineProps<{ alertId: number | null; held: HeldView | null; remediation: RemediationView | null }>()
const emit = defineEmits<{ changed: [] }>()
const session = useSession()
const {
  data: alert,
  error,
  refresh,
} = useResource(() => (props.alertId ? api.get<AlertPage>(`/alerts/${props.alertId}`) : Promise.resolve(null)), {
  topics: ['alerts', 'windows'],
})
const shown = computed(() => alert.value ?? props.held ?? props.remediation)
const words = computed(() => shown.value && alertWords(shown.value))
const metric = computed(() => (shown.value ? watchKinds.get(shown.value.rule.kind)?.metric : undefined))

const around = useResource(async () => {
  const subject = props.alertId
    ? await api.get<AlertPage>(`/alerts/${props.alertId}`)
    : (props.held ?? props.remediation)
  if (!subject) return null
  const kind = watchKinds.get(subject.rule.kind)
  const until = Math.min(
    asOf.value ?? Date.now(),
    (('closedAt' in subject ? subject.closedAt : subject.endedAt) ?? asOf.value ?? Date.now()) + hour,
  )
  const from = Math.min(subject.began - 12 * hour, until - 24 * hour)
  const series = kind?.metric && subject.deviceId !== null
    ? await api.get<SeriesPage>(
        `/devices/${subject.deviceId}/series?from=${from}&until=${until}&metrics=${kind.metric}`,
      )
    : null
  const events =
    subject.deviceId === null
      ? []
      : (
          await api.get<LogPage>(`/log?device=${subject.deviceId}&until=${subject.began + 10 * 60_000}&limit=40`)
        ).entries
  return {
    series: series?.series.find((line) => line.instance === subject.instance) ?? null,
    from,
    until,
    events: events
      .filter(
        (event) =>
          ['emergency', 'alert', 'critical', 'error', 'warning'].includes(event.level) ||
          event.at > subject.began - 30 * 60_000,
      )
      .slice(0, 5),
  }
})

const doing = { start: 'Start', stop: 'Stop', restart: 'Restart' } as const
const state = computed(() => {
  if (props.held) return 'held'
  return (alert.value ? alert.value.status === 'closed' : props.remediation?.outcome === 'cleared')
    ? 'settled'
    : (shown.value?.severity ?? null)
})
const planning = ref(false)
async function respond(verb: keyof typeof doing): Promise<void> {
  if (!props.alertId || !session.mayChange) return
  if (await attempt(() => api.post(`/alerts/${props.alertId}/respond`, { verb }))) {
    done('Its agent was asked; how it goes shows here.')
    await refresh()
    emit('changed')
  }
}
async function changed(): Promise<void> {
  await refresh()
  emit('changed')
}
useKeys(
  'Alert',
  session.mayChange
    ? [{ key: 'h', does: 'hold it back: a maintenance window', run: () => { planning.value = true } }]
    : [],
)
</script>

<template>
  <aside>
    <StateNotice :error="error" :loading="!shown" @again="refresh" />
    <template v-if="shown && words">
      <p class="state">
        <SeverityMark :state="state" />
        <span class="muted">
          <template v-if="held">{{ held.severity }}, held since {{ fullText(held.heldAt) }} · {{ held.windowName }}</template>
          <template v-else-if="remediation">{{ remediation.severity }} ·
            {{ remediation.endedAt ? 'nobody had to be told' : 'nobody was told yet' }}</template>
          <template v-else>{{ alert!.severity }} · raised
            <time :title="exactText(alert!.raisedAt, alert!.zone)">{{ fullText(alert!.raisedAt) }}</time> ·
            {{ alert!.status === 'closed' ? alert!.closeReason : alert!.takenBy ?? 'nobody yet' }}</template>
        </span>
      </p>
      <h1><b>{{ words.strong }}</b> {{ words.rest }}
        <span v-if="shown.deviceId !== null" class="at">on
          <RouterLink class="mono" :to="`/estate/${shown.deviceId}`">{{ shown.deviceName }}</RouterLink></span></h1>
      <p class="muted">{{ shown.clientName }} · {{ shown.siteName }} · since <AgeText :at="shown.began" /> <DoubtText :doubt="postDoubt(shown)" /><template v-if="alert">
        · <RouterLink :to="`/alerts/${alert.id}`">its page</RouterLink></template></p>
      <p v-if="alert?.flips.length" class="muted">{{ flipText(alert, now) }} <FlipMarks :at="alert.flips" /></p>
      <p v-if="alert?.carrier">It is {{ causeText(alert) }}. It is worked on
        <RouterLink :to="`/alerts/${alert.carrier.id}`">there</RouterLink>.</p>
      <RuleSentence :parts="shown.rule.sentence" class="rule" />
      <ReadingLine
        v-if="around.data.value?.series && metric"
        :series="around.data.value.series"
        :from="around.data.value.from"
        :until="around.data.value.until"
        :mark="shown.began"
        :severity="shown.severity"
        :lines="shown.rule.lines"
      />
      <h3>Why</h3>
      <WhySteps :alert="alert" :held="held" :remediation="remediation" />
      <p v-if="shown.deviceId !== null"><RouterLink :to="{ path: `/estate/${shown.deviceId}/why`, query: { watch: shown.watch, ...(shown.instance ? { instance: shown.instance } : {}) } }">Why, step by step</RouterLink><template v-if="metric"> · <RouterLink :to="whenAddress(shown.deviceId!, metric, shown.instance)">When does it happen?</RouterLink></template></p>
      <CauseMembers v-if="alert?.members" :key="alert.id" :alert="alert" />
      <template v-if="around.data.value?.events.length">
        <h3>Around it</h3>
        <p v-for="(event, i) in around.data.value.events" :key="i" class="event"><span class="faint">{{ fullText(event.at) }}</span> <span class="mono">{{ event.source }}</span>
          {{ event.text }}</p>
      </template>
      <AlertActs v-if="alert" :alerts="[alert]" @changed="changed">
        <template v-if="alert.status !== 'closed'">
          <button class="btn" @click="planning = true">Hold <kbd>h</kbd></button>
          <button
            v-for="action in alert.actions"
            :key="action.verb"
            class="btn mono"
            @click="respond(action.verb)"
          >{{ doing[action.verb] }} {{ action.service }}</button>
        </template>
      </AlertActs>
      <HoldDialog v-if="planning" :about="shown" @close="planning = false" />
    </template>
  </aside>
</template>

<style scoped>
aside {
  background: var(--sheet);
  border-left: 1px solid var(--rule);
  padding: 15px 20px 24px;
  overflow: auto;
  height: 100%;
}
.state {
  display: flex;
  gap: 10px;
  align-items: center;
}
h1 {
  font-size: 19px;
  line-height: 25px;
  margin: 6px 0 2px;
  overflow-wrap: anywhere;
  font-weight: 400;
}
.at {
  white-space: nowrap;
}
.rule {
  margin: 10px 0;
}
h3 {
  margin: 14px 0 4px;
}
.event {
  padding: 1px 0;
  color: var(--ink2);
  overflow-wrap: anywhere;
}
</style>
