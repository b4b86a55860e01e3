<script setup lang="ts">
import { computed, defineAsyncComponent, ref } from 'vue'
import { useRoute } from 'vue-router'
import type { AlertPage, AlertTimeline, AlertView, SeriesPage, UsualPage } from '#contract'
import { day, hour, minute, usedByProcesses, watchKinds, type Millis, type Severity } from '#core'
import { api } from '../../parts/data/api'
import { useNewestFirst } from '../../parts/data/parts'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import {
  alertWords,
  causeText,
  endText,
  entryText,
  flipText,
  pastWords,
  timelineText,
} from '../../parts/format/alertWords'
import { exactText, fullText, lengthText, now } from '../../parts/format/time'
import DoubtText from '../../parts/ui/DoubtText.vue'
import FlipMarks from '../../parts/ui/FlipMarks.vue'
import PlaceNotes from '../../parts/ui/PlaceNotes.vue'
import ProcessTable from '../../parts/ui/ProcessTable.vue'
import ReadingLine from '../../parts/ui/ReadingLine.vue'
import RuleSentence from '../../parts/ui/RuleSentence.vue'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import ShortTable from '../../parts/ui/ShortTable.vue'
import AwayNotice from '../../parts/ui/AwayNotice.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { attempt, done } from '../../parts/ui/notify'
import { postDoubt } from '../../parts/data/known'
import { usualAt } from '../../parts/data/usualAt'
import { momentAddress, usualAddress, whenAddress } from '../../parts/data/whenAddress'
import AlertActs from './AlertActs.vue'
import AlertCallouts from './AlertCallouts.vue'
import CauseMembers from './CauseMembers.vue'
import CompanionList from './CompanionList.vue'
import TakeFromMail from './TakeFromMail.vue'
import WhySteps from './WhySteps.vue'
import TrailSection from '../setup/trail/TrailSection.vue'

const HoldDialog = defineAsyncComponent(() => import('./HoldDialog.vue'))

/** All about one alert, with an address of its own: to be sent, read on a telephone, and printed. */
const id = Number(useRoute().params.id)
const session = useSession()
const { data: alert, error, refresh } = useResource(() => api.get<AlertPage>(`/alerts/${id}`), {
  topics: ['alerts', 'windows'],
})
const timeline = useResource(() => api.get<AlertTimeline>(`/alerts/${id}/timeline`), { topics: ['alerts', 'windows'] })
const earlier = useNewestFirst<AlertView>((query) => api.get(`/alerts/${id}/earlier?${query}`), { topics: ['alerts'] })
const words = computed(() => alert.value && (alert.value.closedAt === null ? alertWords : pastWords)(alert.value))
const kind = computed(() => alert.value && watchKinds.get(alert.value.rule.kind))
const known = computed(() => alert.value?.id ?? null)
const readings = useResource(
  async () => {
    const subject = alert.value
    const metric = subject && watchKinds.get(subject.rule.kind)?.metric
    if (!metric || subject.deviceId === null) return null
    const until = Math.min(Date.now(), (subject.closedAt ?? Date.now()) + hour, subject.began + day)
    const from = subject.began - 6 * hour
    const { series, away } = await api.get<SeriesPage>(
      `/devices/${subject.deviceId}/series?from=${from}&until=${until}&metrics=${metric}`,
    )
    return { from, until, away, series: series.find((line) => line.instance === subject.instance) ?? null }
  },
  { sources: [known] },
)

/** What is usual for the series, where it is judged by that. */
const usual = useResource(
  async () => {
    const subject = alert.value
    const metric = subject && watchKinds.get(subject.rule.kind)?.usual
    if (!metric || subject.deviceId === null) return null
    const query = new URLSearchParams({ metric, instance: subject.instance })
    return api.get<UsualPage>(`/devices/${subject.deviceId}/usual?${query}`)
  },
  { sources: [known] },
)

interface Line {
  at: number
  text: string
  by: string
  severity: Severity | null
  to: string | null
  isOwn: boolean
}
/** What happened to the alert itself, and all else around it, in one. */
const lines = computed((): Line[] => {
  const own = (alert.value?.entries ?? []).map(({ at, event, detail, by, text }) => ({
    at,
    text: `${entryText({ event, detail })}${by ? ` by ${by}` : ''}${text ? `: ${text}` : ''}`,
    by: '',
    severity: null,
    to: null,
    isOwn: true,
  }))
  const others = (timeline.data.value?.items ?? []).map((item) => ({
    at: item.at,
    text: timelineText(item),
    by: item.kind === 'log' ? item.by : '',
    severity: item.kind === 'log' || item.kind === 'raised' ? item.severity : null,
    to:
      item.id === null
        ? null
        : item.kind === 'raised' || item.kind === 'closed'
          ? `/alerts/${item.id}`
          : `/maintenance/${item.id}`,
    isOwn: false,
  }))
  const all = [...own, ...others].toSorted((a, b) => a.at - b.at)
  // What was done again and again in a row is one line.
  return all.flatMap((line, i) => {
    if (line.text === all[i - 1]?.text && line.to === null) return []
    const next = all.findIndex((other, n) => n > i && other.text !== line.text)
    const times = line.to === null ? (next < 0 ? all.length : next) - i : 1
    return [times > 1 ? { ...line, text: `${line.text}, ${times} times` } : line]
  })
})
const whyAddress = computed(() => {
  const { deviceId, watch, instance } = alert.value!
  return { path: `/estate/${deviceId}/why`, query: { watch, ...(instance ? { instance } : {}) } }
})
const atMoment = (at: Millis) => momentAddress(alert.value!.deviceId!, kind.value!.metric!, alert.value!.instance, at)
const planning = ref(false)
const columns = [
  { key: 'began', title: 'Began' },
  { key: 'for', title: 'For' },
  { key: 'how', title: 'How it ended' },
] as const
async function respond(verb: keyof typeof doing): Promise<void> {
  if (!(await attempt(() => api.post(`/alerts/${id}/respond`, { verb })))) return
  done('Its agent was asked; how it goes shows here.')
  await refresh()
}
const doing = { start: 'Start', stop: 'Stop', restart: 'Restart' } as const
const print = () => {
  window.print()
}
</script>

<template>
  <article class="page">
    <StateNotice :error="error" :loading="!alert" @again="refresh" />
    <template v-if="alert && words">
      <p class="state">
        <SeverityMark :state="alert.status === 'closed' ? 'settled' : alert.severity" />
        <span class="muted">{{ alert.severity }} · {{ alert.status === 'closed' ? endText(alert) : (alert.takenBy ? `taken by ${alert.takenBy}` : 'nobody has it yet') }}</span>
        <button class="link print" @click="print">Print</button>
      </p>
      <h1><b>{{ words.strong }}</b> {{ words.rest }}</h1>
      <p>
        <template v-if="alert.deviceId !== null"><RouterLink class="mono" :to="`/estate/${alert.deviceId}`">{{ alert.deviceName }}</RouterLink> · </template>{{ alert.clientName }} · {{ alert.siteName }}
        · since <time :title="exactText(alert.began, alert.zone)">{{ fullText(alert.began) }}</time><template
          v-if="alert.closedAt"
        > until {{ fullText(alert.closedAt) }}, for {{ lengthText(alert.closedAt - alert.began) }}</template>
        <DoubtText :doubt="postDoubt(alert)" />
      </p>
      <p v-if="alert.flips.length">{{ flipText(alert, now) }} <FlipMarks :at="alert.flips" /></p>
      <p v-if="alert.carrier">It is {{ causeText(alert) }}:
        <RouterLink :to="`/alerts/${alert.carrier.id}`">that alert</RouterLink> stands for it.</p>
      <RuleSentence :parts="alert.rule.sentence" class="rule" />
      <TakeFromMail of="alert" :subject="alert" @changed="refresh" />
      <AlertActs :alerts="[alert]" @changed="refresh">
        <template v-if="alert.status !== 'closed'">
          <button class="btn" @click="planning = true">Hold</button>
          <button
            v-for="action in alert.actions"
            :key="action.verb"
            class="btn mono"
            @click="respond(action.verb)"
          >{{ doing[action.verb] }} {{ action.service }}</button>
        </template>
      </AlertActs>
      <AwayNotice :away="readings.data.value?.away" />
      <template v-if="readings.data.value?.series && kind?.metric">
        <h2>Readings</h2>
        <ReadingLine
          :series="readings.data.value.series"
          :from="readings.data.value.from"
          :until="readings.data.value.until"
          :mark="alert.began"
          :severity="alert.severity"
          :lines="alert.rule.lines"
          :usual="usualAt(usual.data.value, kind.metric)"
        />
        <p v-if="kind.usual && alert.deviceId !== null" class="muted"><template v-if="usual.data.value?.cells.length">Shaded: as usual at that hour of the week. </template><RouterLink :to="usualAddress(alert.deviceId, kind.usual, alert.instance)">What is usual, and what would have been told</RouterLink></p>
        <ProcessTable
          v-if="alert.deviceId !== null && usedByProcesses.has(kind.metric)"
          :device-id="alert.deviceId"
          :from="alert.began - 10 * minute"
          :until="Math.min(readings.data.value.until, (alert.closedAt ?? readings.data.value.until) + minute)"
          :to="atMoment"
        />
      </template>
      <div class="two">
        <section aria-label="Why">
          <h2>Why</h2>
          <WhySteps :alert="{ ...alert, entries: [] }" :held="null" :remediation="null" />
          <p v-if="alert.deviceId !== null"><RouterLink :to="whyAddress">Why at any other time, step by step</RouterLink></p>
          <p v-if="alert.deviceId !== null && kind?.metric"><RouterLink :to="whenAddress(alert.deviceId, kind.metric, alert.instance)">When does it happen?</RouterLink></p>
          <CauseMembers v-if="alert.members" :alert="alert" />
          <CompanionList v-if="alert.deviceId !== null" :alert-id="alert.id" />
          <AlertCallouts v-if="session.isStaff" of="alert" :id="alert.id" :zone="alert.zone" :is-over="alert.status === 'closed'" />
          <PlaceNotes v-if="session.isStaff" :client-id="alert.clientId" :site-id="alert.siteId" />
          <h2>Earlier</h2>
          <ShortTable
            v-if="earlier.data.value?.length"
            label="Earlier alerts of the same"
            :rows="earlier.data.value"
            :columns="columns"
            row-key="id"
          >
            <template #began="{ row }"><RouterLink :to="`/alerts/${row.id}`">{{ fullText(row.began) }}</RouterLink></template>
            <template #for="{ row }">{{ row.closedAt ? lengthText(row.closedAt - row.began) : '' }}</template>
            <template #how="{ row }"><span class="muted">{{ endText(row) }}</span></template>
          </ShortTable>
          <p v-else-if="earlier.data.value" class="muted">It is the first of its kind.</p>
          <p v-if="earlier.hasMore.value"><button class="link" @click="earlier.more">older ones</button></p>
        </section>
        <section aria-label="What happened">
          <h2>What happened</h2>
          <StateNotice :error="timeline.error.value" :loading="false" @again="timeline.refresh" />
          <ol>
            <li v-for="(line, i) in lines" :key="i" :class="{ own: line.isOwn }">
              <time class="faint" :title="exactText(line.at, alert.zone)">{{ fullText(line.at) }}</time>
              <SeverityMark v-if="line.severity" :state="line.severity" /><span v-else></span>
              <span><template v-if="line.by"><span class="mono faint">{{ line.by }}</span>{{ ' ' }}</template><RouterLink v-if="line.to" :to="line.to">{{ line.text }}</RouterLink><template v-else>{{ line.text }}</template></span>
            </li>
          </ol>
          <p v-if="timeline.data.value?.left" class="muted">{{ timeline.data.value.left }} more log entries and alerts of
            that time are not shown here<template v-if="alert.deviceId !== null">;
              <RouterLink :to="`/estate/${alert.deviceId}?part=log`">all entries are at the device</RouterLink></template>.</p>
        </section>
      </div>
      <TrailSection v-if="session.isStaff" :id="alert.id" kind="alert" :topics="['alerts']" />
      <HoldDialog v-if="planning && session.mayChange" :about="alert" @close="planning = false" />
    </template>
  </article>
</template>

<style scoped>
.state {
  display: flex;
  gap: 10px;
  align-items: center;
}
.print {
  margin-left: auto;
}
h1 {
  font-weight: 400;
  overflow-wrap: anywhere;
}
h2 {
  border-top: 1px solid var(--rule);
  margin: 18px 0 4px;
  padding-top: 6px;
}
.rule {
  margin: 8px 0;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 2fr) minmax(0, 3fr);
  gap: 0 28px;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 112px 13px minmax(0, 1fr);
  gap: 8px;
  align-items: baseline;
  padding: 2px 0;
  border-bottom: 1px solid var(--rule2);
  overflow-wrap: anywhere;
}
.own {
  font-weight: 600;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
  li {
    grid-template-columns: 92px 13px minmax(0, 1fr);
  }
}
@media print {
  .acts,
  .print {
    display: none;
  }
}
</style>
