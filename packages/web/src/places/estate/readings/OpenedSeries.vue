<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { BoardPage, DevicePage, SeriesMarks, SeriesPage, SeriesView, UsualPage } from '#contract'
import { unusualKindOf, usedByProcesses, type MetricName, type Millis } from '#core'
import { useAddressed } from '../../../parts/data/addressed'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { usualAt } from '../../../parts/data/usualAt'
import { fullText } from '../../../parts/format/time'
import AwayNotice from '../../../parts/ui/AwayNotice.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { done } from '../../../parts/ui/notify'
import PartTabs from '../../../parts/ui/PartTabs.vue'
import ProcessTable from '../../../parts/ui/ProcessTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { besideOf, besideText, earlier, mostBeside, movedOn, type Beside } from './beside'
import MeanwhileTable from './MeanwhileTable.vue'
import SeriesChanged from './SeriesChanged.vue'
import SeriesChart from './SeriesChart.vue'
import SeriesTable from './SeriesTable.vue'
import SeriesUsual from './SeriesUsual.vue'
import SeriesValues from './SeriesValues.vue'
import SeriesWhen from './SeriesWhen.vue'
import { useShown } from './shownInAddress'
import { boundsOf } from './span'
import SpanSentence from './SpanSentence.vue'
import { nameInAddress, namedInAddress, seriesColours, seriesTitle, subjects } from './subjects'

/** One series of a device: over any time with what happened meanwhile, by the week, what changed, value by value. */
const props = defineProps<{ device: DevicePage; name: string }>()
const route = useRoute()
const router = useRouter()
const { shown, show, last, draw, now } = useShown()
const series = computed(() => namedInAddress(props.name) ?? { metric: 'cpu.busy', instance: '' })
const title = computed(() => seriesTitle(series.value))
const view = useAddressed('view', 'chart')
const at = useAddressed('at')
const moment = computed(() => (at.value ? Date.parse(at.value) || null : null))
const views = [
  { name: 'chart', title: 'Over time' },
  { name: 'when', title: 'When it happens' },
  { name: 'usual', title: 'What is usual' },
  { name: 'changed', title: 'What changed' },
  { name: 'values', title: 'Values' },
]
const opened = computed({
  get: () => props.name,
  set: (open: string) => void router.push({ query: { ...route.query, open }, hash: route.hash }),
})

const besideInAddress = useAddressed('beside')
const beside = computed(() => besideOf(besideInAddress.value))
const setBeside = (list: readonly Beside[]) => {
  besideInAddress.value = list.map(besideText).join(' ')
}

const shownTime = computed(() => JSON.stringify(shown.value))
const askSeries = (id: number, metric: string, from: Millis, until: Millis) =>
  api.get<SeriesPage>(`/devices/${id}/series?from=${from}&until=${until}&points=900&metrics=${metric}`)
interface Line {
  title: string
  series: SeriesView
}
async function lineOf(one: Beside, from: Millis, until: Millis, ask: typeof askSeries): Promise<Line | null> {
  const { metric, instance } = series.value
  const find = (page: SeriesPage, wanted: { metric: string; instance: string }) =>
    page.series.find((found) => found.metric === wanted.metric && found.instance === wanted.instance) ?? null
  if (one.of === 'earlier') {
    const found = find(await ask(props.device.id, metric, from - one.back, until - one.back), series.value)
    const named = earlier.find(({ back }) => back === one.back)?.title ?? `${one.back / 86_400_000} days earlier`
    return found && { title: `${title.value}, ${named}`, series: movedOn(found, one.back) }
  }
  if (one.of === 'series') {
    const found = find(await ask(props.device.id, one.metric, from, until), one)
    return found && { title: seriesTitle(one), series: found }
  }
  const found = find(await ask(one.id, metric, from, until), { metric, instance })
  return found && { title: `${title.value} on ${nameOf(one.id)}`, series: found }
}

/** Others of the client that do the same work, to lay over it. */
const others = useResource(async () => {
  const role = props.device.roles[0]
  const query = new URLSearchParams({ client: String(props.device.clientId), order: 'name', limit: '60', ...(role ? { role } : {}) })
  const page = await api.get<BoardPage>(`/devices?${query}`)
  return page.devices.filter(({ id }) => id !== props.device.id)
})
const nameOf = (id: number) => others.data.value?.find((device) => device.id === id)?.name ?? `device ${id}`

const { data, error, refresh } = useResource(
  async () => {
    const { from, until } = boundsOf(shown.value, now())
    const main = await askSeries(props.device.id, series.value.metric, from, until)
    let { away } = main
    const ask: typeof askSeries = async (...wanted) => {
      const page = await askSeries(...wanted)
      away ??= page.away
      return page
    }
    const lines = await Promise.all(
      beside.value.map((one) => lineOf(one, from, until, ask).catch(() => null)),
    )
    const own = main.series.find((found) => found.metric === series.value.metric && found.instance === series.value.instance)
    return {
      from,
      until,
      width: main.width,
      away,
      lines: [...(own ? [{ title: title.value, series: own }] : []), ...lines.filter((line) => line !== null)],
      missing: lines.filter((line) => line === null).length,
    }
  },
  { topics: ['reports'], deviceId: () => props.device.id, sources: [shownTime, opened, besideInAddress] },
)
const marks = useResource(
  () => {
    const { from, until } = boundsOf(shown.value, now())
    const query = new URLSearchParams({ ...series.value, from: String(from), until: String(until) })
    return api.get<SeriesMarks>(`/devices/${props.device.id}/marks?${query}`)
  },
  { topics: ['alerts', 'windows', 'policy'], deviceId: () => props.device.id, sources: [shownTime, opened] },
)

/** What is usual for it, laid under its chart. */
const usualInAddress = useAddressed('usual')
const isUsualShown = computed({
  get: () => usualInAddress.value === 'shown',
  set: (is: boolean) => { usualInAddress.value = is ? 'shown' : '' },
})
const judged = computed(() => unusualKindOf(series.value.metric as MetricName) !== null)
const usual = useResource(
  async () =>
    isUsualShown.value && judged.value
      ? api.get<UsualPage>(`/devices/${props.device.id}/usual?${new URLSearchParams({ ...series.value })}`)
      : null,
  { sources: [opened, usualInAddress] },
)
const usualThen = computed(() => usualAt(usual.data.value, series.value.metric))

/** What there is of the device, to open instead or to lay over. */
const known = useResource(async () => {
  const { from, until } = boundsOf(shown.value, now())
  const names = subjects.flatMap((subject) => subject.metrics).join()
  const page = await api.get<SeriesPage>(
    `/devices/${props.device.id}/series?from=${Math.max(from, until - 86_400_000)}&until=${until}&points=10&metrics=${names}`,
  )
  return page.series.map(({ metric, instance }) => ({ metric, instance }))
})
const choices = computed(() => {
  const found = known.data.value ?? []
  const isKnown = found.some((one) => nameInAddress(one) === nameInAddress(series.value))
  return (isKnown ? found : [series.value, ...found]).map((one) => ({ value: nameInAddress(one), text: seriesTitle(one) }))
})
const add = computed({
  get: () => '',
  set: (text: string) => {
    const [one] = besideOf(text)
    if (one) setBeside([...beside.value, one].slice(0, mostBeside))
  },
})
const offered = computed(() => {
  const taken = new Set(beside.value.map(besideText))
  const all = [
    ...earlier.map(({ back, title: text }) => ({ value: besideText({ of: 'earlier', back }), text, group: 'The same' })),
    ...(others.data.value ?? []).map(({ id, name }) => ({ value: String(id), text: `on ${name}`, group: 'The same on others' })),
    ...(known.data.value ?? [])
      .filter((one) => nameInAddress(one) !== nameInAddress(series.value))
      .map((one) => ({ value: besideText({ of: 'series', ...one }), text: seriesTitle(one), group: 'Of this device' })),
  ]
  return [{ value: '', text: 'lay something over it' }, ...all.filter(({ value }) => !taken.has(value))]
})

const back = computed(() => {
  const { open: _open, view: _view, at: _at, beside: _beside, hours: _hours, weeks: _weeks, usual: _usual, ...query } = route.query
  return { query, hash: route.hash }
})
const whyChanged = computed(() => ({ query: { ...route.query, view: 'changed' }, hash: route.hash }))
const momentAddress = (time: Millis) => ({
  query: { ...route.query, at: new Date(time).toISOString() },
  hash: route.hash,
})
function pick(time: Millis) {
  at.value = new Date(time).toISOString()
}
async function copy() {
  await navigator.clipboard.writeText(location.href).then(
    () => done('The address of this view is copied.'),
    () => done('The browser did not let it be copied. It stands in its address bar.'),
  )
}
const csv = computed(() => {
  const { from, until } = boundsOf(shown.value, data.value?.until ?? now())
  return `/api/devices/${props.device.id}/series.csv?from=${from}&until=${until}&metrics=${series.value.metric}`
})
</script>

<template>
  <div class="head">
    <p><RouterLink :to="back">All readings</RouterLink></p>
    <h2><ChoiceField v-model="opened" label="Series" :choices="choices" /></h2>
    <p class="end">
      <a :href="csv" download>CSV</a>
      <button class="link" @click="copy">Copy the address</button>
    </p>
  </div>
  <PartTabs v-model="view" label="Views of the series" :tabs="views" />
  <template v-if="view === 'chart'">
    <p class="line"><SpanSentence v-model:last="last" :shown="shown" /></p>
    <p class="line over">
      <ChoiceField v-model="add" label="Lay over it" :choices="offered" :disabled="beside.length >= mostBeside" />
      <ElCheckbox v-if="judged" v-model="isUsualShown">what is usual</ElCheckbox>
      <button v-if="beside.length" class="link" @click="setBeside([])">Only this one</button>
      <span v-if="usual.data.value && !usualThen" class="muted">Too little is known of what is usual.</span>
      <span v-if="data?.missing" class="muted">{{ data.missing }} of what is laid over it has no readings in this time.</span>
    </p>
    <AwayNotice :away="data?.away" />
    <StateNotice :error="usual.error.value" :loading="false" @again="usual.refresh" />
    <StateNotice
      :error="error"
      :loading="!data"
      :empty="data && !data.lines.length ? 'No readings in this time.' : ''"
      @again="refresh"
    />
    <template v-if="data?.lines.length">
      <SeriesChart
        :title="title"
        :series="data.lines.map((line) => line.series)"
        :labels="data.lines.map((line) => line.title)"
        :colours="seriesColours"
        :from="data.from"
        :until="data.until"
        :width="data.width"
        :marks="marks.data.value"
        :moment="moment"
        :usual="usualThen"
        is-tall
        @draw="draw"
        @pick="pick"
      />
      <p v-if="moment" class="line">{{ fullText(moment) }}: <RouterLink :to="whyChanged">what changed here?</RouterLink>{{ ' ' }}
        <button class="link" @click="at = ''">Forget it</button></p>
      <p v-else class="line muted">A moment that is clicked can be asked what changed there.</p>
      <SeriesTable :label="`${title}, in numbers`" :series="data.lines.map((line) => line.series)" :titles="data.lines.map((line) => line.title)" />
      <p v-if="data.lines.some(({ series: one }) => one.summary?.p95Error)" class="muted">≈ From what became of each day: within one part in a hundred.</p>
    </template>
    <StateNotice :error="marks.error.value" :loading="false" @again="marks.refresh" />
    <MeanwhileTable v-if="marks.data.value" :marks="marks.data.value" :metric="series.metric" />
    <ProcessTable v-if="data && usedByProcesses.has(series.metric as MetricName)" :device-id="device.id" :from="data.from" :until="data.until" :moment="moment" :to="momentAddress" />
  </template>
  <SeriesWhen v-else-if="view === 'when'" :key="opened" :device="device" :series="series" @look="(from, until) => show({ from, until }, { view: null })" />
  <SeriesUsual v-else-if="view === 'usual'" :key="opened" :device="device" :series="series" @look="(from, until) => show({ from, until }, { view: null, usual: 'shown' })" />
  <SeriesChanged v-else-if="view === 'changed'" :device="device" :moment="moment" @moment="pick" />
  <SeriesValues v-else :key="`${opened} ${shownTime}`" :device-id="device.id" :series="series" :bounds="boundsOf(shown, now())" />
</template>

<style scoped>
.head {
  margin: 8px 0 0;
}
.head .end {
  display: flex;
  gap: 16px;
  align-items: center;
}
.line {
  margin: 8px 0;
}
.over {
  display: flex;
  gap: 14px;
  align-items: center;
}
@media print {
  .over,
  .end {
    display: none;
  }
}
</style>
