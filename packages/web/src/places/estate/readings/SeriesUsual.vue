<script setup lang="ts">
import { computed, defineAsyncComponent, ref } from 'vue'
import type { DevicePage, SeriesPage, UsualPage } from '#contract'
import { ageText, countText, day, daysOfUsual, durationText, minute, type Millis } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import { usualAt } from '../../../parts/data/usualAt'
import { age, dayText, now, zonedText } from '../../../parts/format/time'
import { confirmed } from '../../../parts/ui/confirm'
import { attempt, done } from '../../../parts/ui/notify'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import SeriesChart from './SeriesChart.vue'
import { nameInAddress, seriesColours, seriesTitle } from './subjects'

/** What is usual for a series at each hour of the week, beside how it is; who judges by it, and what they would tell. */
const props = defineProps<{ device: DevicePage; series: { metric: string; instance: string } }>()
const emit = defineEmits<{ look: [from: Millis, until: Millis] }>()
const WatchUsualDialog = defineAsyncComponent(() => import('./WatchUsualDialog.vue'))
const session = useSession()
const address = computed(() => `/devices/${props.device.id}/usual`)
const { data, error, refresh } = useResource(() => api.get<UsualPage>(`${address.value}?${new URLSearchParams({ ...props.series })}`), {
  topics: ['policy'],
  deviceId: () => props.device.id,
})
const week = useResource(
  async () => {
    const until = now.value
    const from = until - 8 * day
    const page = await api.get<SeriesPage>(`/devices/${props.device.id}/series?from=${from}&until=${until}&points=400&metrics=${props.series.metric}`)
    const own = page.series.find((one) => nameInAddress(one) === nameInAddress(props.series))
    return { from, until, width: page.width, series: own ?? null }
  },
  { topics: ['reports'], deviceId: () => props.device.id },
)
const usual = computed(() => usualAt(data.value, props.series.metric))
const zoned = (at: Millis) => zonedText(at, data.value?.zone ?? props.device.zone)

const learned = computed(() => {
  const { days, oddDays, from, beganAnew, anewBy } = data.value!
  if (from === null) return 'Nothing is known of it yet: it is learned from whole days that are over.'
  const since = beganAnew === null ? `of the last ${durationText(daysOfUsual * day)}` : `since ${dayText(beganAnew)}`
  const who = anewBy !== null && beganAnew !== null ? `, because ${anewBy} said so` : ''
  const why = beganAnew !== null && anewBy === null ? ', because it has stayed different from then on' : ''
  const odd = oddDays.length ? ` Left out, being unlike their kind: ${oddDays.map((at) => dayText(at)).join(', ')}.` : ''
  return `Learned from ${countText(days, 'day')} ${since}${who}${why}.${odd}`
})
const judging = (toGo: number) => (toGo ? `is learning, ${countText(toGo, 'day')} to go` : 'judges by it')
const mostTold = 8
interface Tried {
  sensitivity: string
  times: string
  told: UsualPage['tried'][number]['told']
  more: boolean
}
const tried = computed(() =>
  (data.value?.tried ?? []).map(({ sensitivity, told }): Tried => ({
    sensitivity,
    times: told.length ? countText(told.length, 'time') : 'never',
    told: told.slice(-mostTold),
    more: told.length > mostTold,
  })),
)
const columns = [
  { key: 'sensitivity', title: 'Sensitivity' },
  { key: 'times', title: 'In the last 14 days' },
  { key: 'when', title: 'When', grow: 1 },
] as const
const lasted = ({ from, until }: Tried['told'][number]) => (until === null ? 'and still' : `for ${ageText(Math.max(minute, until - from))}`)

const making = ref(false)
const isChanging = ref(false)
async function learnAnew(anew: boolean) {
  const question = `What was before now will not count for ${seriesTitle(props.series)} of ${props.device.name}: nothing is told until enough is known again. It can be taken back.`
  if (anew && !(await confirmed(question, 'Learn anew'))) return
  isChanging.value = true
  const changed = await attempt(() => api.post(address.value, { ...props.series, anew }))
  isChanging.value = false
  if (!changed) return
  done(anew ? 'It is learned anew from now on.' : 'All that is kept of it counts again.')
  void refresh()
}
</script>

<template>
  <StateNotice :error="error" :loading="!data" @again="refresh" />
  <template v-if="data">
    <p class="line">{{ learned }}
      <template v-for="watch in data.watches" :key="watch.key">
        {{ ' ' }}<b>{{ watch.name }}</b> {{ judging(watch.toGo) }}, with {{ watch.asked.sensitivity }} sensitivity.</template>
      <template v-if="!data.asked"> No watch judges this by what is usual.</template>
      <template v-else-if="!data.watches.length"> No watch in force judges it by this.</template></p>
    <p v-if="data.asked && session.mayChange" class="line acts">
      <button v-if="!data.watches.length" class="btn" @click="making = true">Tell when it is unusual</button>
      <button v-if="data.anewBy === null && data.from !== null" class="link" :disabled="isChanging" @click="learnAnew(true)">Learn anew from now on</button>
      <button v-else-if="data.anewBy !== null" class="link" :disabled="isChanging" @click="learnAnew(false)">Let all that is kept count again</button></p>
    <StateNotice :error="week.error.value" :loading="!week.data.value" :empty="week.data.value && !week.data.value.series ? 'No readings in the last eight days.' : ''" @again="week.refresh" />
    <template v-if="week.data.value?.series">
      <p v-if="usual" class="line key"><i class="is" /> how it was, from least to most
        <i class="usual" /> what is usual at that hour of the week, and how far from it is as usual with {{ data.asked!.sensitivity }} sensitivity</p>
      <SeriesChart
        :title="`${seriesTitle(series)} beside what is usual`"
        :series="[week.data.value.series]"
        :labels="[seriesTitle(series)]"
        :colours="seriesColours"
        :from="week.data.value.from"
        :until="week.data.value.until"
        :width="week.data.value.width"
        :usual="usual"
        is-tall
        @draw="(from, until) => emit('look', from, until)"
      />
    </template>
    <template v-if="data.asked">
      <h2>What would have been told</h2>
      <p class="muted line">By what was known on each of these days: {{ data.asked.direction === 'either' ? 'more or less' : data.asked.direction }} than usual for {{ durationText(data.asked.span) }}, and by at least {{ Math.round(100 * data.asked.least) }} %.</p>
      <ShortTable label="What would have been told" :rows="tried" :columns="columns" row-key="sensitivity">
        <template #sensitivity="{ row }">{{ row.sensitivity }}</template>
        <template #times="{ row }">{{ row.times }}</template>
        <template #when="{ row }">
          <template v-if="row.more">the last {{ row.told.length }}: </template><template v-for="(one, i) in row.told" :key="one.from">{{ i ? ', ' : '' }}<button class="link" :title="`${age(one.from)} ago`" @click="emit('look', one.from - day / 4, (one.until ?? now) + day / 4)">{{ zoned(one.from) }}</button> {{ lasted(one) }}</template>
        </template>
      </ShortTable>
    </template>
  </template>
  <WatchUsualDialog v-if="making" :device="device" :series="series" @close="making = false; refresh()" />
</template>

<style scoped>
.line {
  margin: 8px 0;
}
.acts,
.key {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
}
.key i {
  display: inline-block;
  width: 22px;
  height: 10px;
}
.is {
  border-top: 2px solid var(--ink);
  background: color-mix(in srgb, var(--ink) 18%, transparent);
}
.usual {
  border-top: 2px dashed var(--act);
  background: color-mix(in srgb, var(--act) 16%, transparent);
}
</style>
