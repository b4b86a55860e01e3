<script setup lang="ts">
import { scaleTime } from 'd3-scale'
import { useElementSize } from '@vueuse/core'
import { storeToRefs } from 'pinia'
import { computed, ref } from 'vue'
import type { Lane, Lanes, LaneSpan as Span } from '#contract'
import { countText, hour, minute, numberText, type Millis } from '#core'
import { useAddressed } from '../../../parts/data/addressed'
import { api } from '../../../parts/data/api'
import { asOf } from '../../../parts/data/asOf'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import { dayText, now as clock } from '../../../parts/format/time'
import { useKeys } from '../../../parts/shell/keys'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import FreeTimes from './FreeTimes.vue'
import LaneTrack from './LaneTrack.vue'
import { stacked, type LaneRow } from './stack'

/** What is planned, days to weeks: a lane a client, or of one client a lane a site. Windows are drawn and moved. */
const emit = defineEmits<{
  draw: [lane: { clientId: number; siteId: number | null }, from: Millis, until: Millis]
  moved: [span: Span, from: Millis, until: Millis]
}>()
const session = useSession()
const { clientId } = storeToRefs(session)
const days = useAddressed('days', '7')
const from = useAddressed('from')
const count = computed(() => Number(days.value) || 7)
const midnight = (at: Millis) => new Date(at).setHours(0, 0, 0, 0)
const begin = computed(() =>
  from.value ? midnight(Date.parse(`${from.value}T00:00:00`)) : midnight((asOf.value ?? Date.now()) - 12 * hour),
)
const end = computed(() => new Date(begin.value).setDate(new Date(begin.value).getDate() + count.value))
const read = useResource(
  () =>
    api.get<Lanes>(
      `/lanes?from=${begin.value}&until=${end.value}${clientId.value === null ? '' : `&client=${clientId.value}`}`,
    ),
  { topics: ['windows', 'estate'], sources: [clientId, begin, end] },
)
function go(by: number): void {
  const to = new Date(begin.value)
  to.setDate(to.getDate() + by)
  from.value = `${to.getFullYear()}-${String(to.getMonth() + 1).padStart(2, '0')}-${String(to.getDate()).padStart(2, '0')}`
}
useKeys('Maintenance', [
  {
    key: 'b',
    does: 'days before',
    run: () => {
      go(-count.value)
    },
  },
  {
    key: 'f',
    does: 'days after',
    run: () => {
      go(count.value)
    },
  },
  {
    key: 't',
    does: 'today',
    run: () => {
      from.value = ''
    },
  },
])

const box = ref<HTMLElement | null>(null)
const { width } = useElementSize(box)
const labelWidth = 176
const room = computed(() => Math.max(200, width.value - labelWidth - 2))
const scale = computed(() => scaleTime([begin.value, end.value], [0, room.value]))
const x = (at: Millis) => Math.max(-4, Math.min(room.value + 4, scale.value(at)))
const invert = (pixels: number) => scale.value.invert(pixels).getTime()
const across = (pixels: number) => ((end.value - begin.value) / room.value) * pixels
/** What a pixel can tell apart, and a person means. */
const step = computed(() => (count.value <= 3 ? 15 * minute : count.value <= 7 ? 30 * minute : hour))
const dates = computed(() =>
  Array.from({ length: count.value }, (_, i) => {
    const at = new Date(begin.value).setDate(new Date(begin.value).getDate() + i)
    const date = new Date(at)
    return {
      at,
      weekend: date.getDay() % 6 === 0,
      text: date.toLocaleDateString('en-GB', { weekday: 'short', day: 'numeric', month: 'short' }),
    }
  }),
)
const hours = computed(() =>
  count.value > 3
    ? []
    : dates.value.flatMap(({ at }) => [6, 12, 18].map((hours) => ({ at: at + hours * hour, text: `${hours}` }))),
)

const all = computed((): LaneRow[] => {
  const found = read.data.value
  if (!found) return []
  const lane = (
    key: string,
    of: Pick<Lane, 'clientId' | 'siteId' | 'name' | 'zone' | 'spans'>,
    isShared = false,
  ): LaneRow => ({
    ...of,
    ...stacked(of.spans, across(leastTarget)),
    key,
    isShared,
  })
  const shared = { clientId: 0, siteId: null, name: 'Several clients', zone: here, spans: found.shared }
  return [
    ...(found.shared.length ? [lane('shared', shared, true)] : []),
    ...found.lanes.map((each) => lane(`${each.clientId} ${each.siteId}`, each)),
  ]
})
const here = Intl.DateTimeFormat().resolvedOptions().timeZone
/** More lanes than these are shown only where something is planned. */
const mostLanes = 12
const showsEmpty = ref(false)
const rows = computed(() =>
  all.value.length <= mostLanes || showsEmpty.value ? all.value : all.value.filter((row) => row.spans.length),
)
const hidden = computed(() => all.value.length - rows.value.length)

function plan(row: LaneRow, from: Millis, until: Millis): void {
  emit('draw', { clientId: row.clientId, siteId: row.siteId }, from, until)
}
/** Pixels of the smallest thing that can be hit: WCAG 2.2, 2.5.8. */
const leastTarget = 24
/** A date needs so many pixels; where days are narrower, some go without. */
const dateWidth = 76
const dated = computed(() => {
  const every = Math.ceil(dateWidth / (room.value / count.value))
  return dates.value.filter(({ at }, i) => i % every === 0 && x(at) + dateWidth <= room.value)
})
const nowAt = computed(() => (clock.value > begin.value && clock.value < end.value ? x(clock.value) : null))
</script>

<template>
  <section class="lanes" aria-label="What is planned">
    <div class="bar">
      <span class="row">
        <button class="btn" title="Days before (b)" aria-label="Days before" @click="go(-count)">‹</button>
        <button class="btn" title="Today (t)" @click="from = ''">Today</button>
        <button class="btn" title="Days after (f)" aria-label="Days after" @click="go(count)">›</button>
        <ChoiceField v-model="days" label="How many days">
          <option value="1">1 day</option>
          <option value="3">3 days</option>
          <option value="7">1 week</option>
          <option value="14">2 weeks</option>
          <option value="28">4 weeks</option>
        </ChoiceField>
        <span class="muted">from {{ dayText(begin) }}</span>
      </span>
      <FreeTimes
        :from="begin"
        :until="end"
        @plan="(client, from, until) => emit('draw', { clientId: client, siteId: null }, from, until)"
      />
    </div>
    <StateNotice :error="read.error.value" :loading="!read.data.value" @again="read.refresh" />
    <div v-if="read.data.value" ref="box" class="board" data-lanes>
      <div class="head" :style="{ marginLeft: `${labelWidth}px` }">
        <span
          v-for="date in dated"
          :key="date.at"
          class="date"
          :style="{ left: `${x(date.at)}px` }"
        >{{ date.text }}</span>
        <span
          v-for="tick in hours"
          :key="tick.at"
          class="hour"
          :style="{ left: `${x(tick.at)}px` }"
        >{{ tick.text }}</span>
      </div>
      <LaneTrack
        v-for="row in rows"
        :key="row.key"
        :lane="row"
        :dates="dates"
        :x="x"
        :across="across"
        :invert="invert"
        :step="step"
        :end="end"
        :now-at="nowAt"
        :label-width="labelWidth"
        :leads="clientId === null && !row.isShared"
        @plan="(from, until) => plan(row, from, until)"
        @moved="(span, from, until) => emit('moved', span, from, until)"
      />
      <p v-if="hidden || showsEmpty" class="muted more">
        <template v-if="hidden">{{ countText(hidden, 'client') }} with nothing planned in this time</template>
        <button
          class="link"
          @click="showsEmpty = !showsEmpty"
        >{{ showsEmpty ? 'only where something is planned' : 'show them' }}</button>
      </p>
      <p
        v-if="read.data.value.more"
        class="warning more"
      >{{ numberText(read.data.value.more) }} later times are not drawn: look at fewer days, or at one client.</p>
      <p v-if="!rows.length" class="muted more">Nothing is planned in this time.</p>
    </div>
  </section>
</template>

<style scoped>
.bar {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
  justify-content: space-between;
  align-items: center;
  margin: 8px 0 4px;
}
.row {
  display: flex;
  gap: 6px;
  align-items: center;
}
.board {
  border-bottom: 1px solid var(--rule);
  max-height: 46vh;
  overflow-y: auto;
  overflow-x: hidden;
}
.head {
  position: sticky;
  top: 0;
  z-index: 3;
  height: 22px;
  background: var(--ground);
  border-bottom: 1px solid var(--rule);
}
.date,
.hour {
  position: absolute;
  font-size: 12px;
  line-height: 20px;
  color: var(--ink2);
  white-space: nowrap;
  padding-left: 3px;
}
.hour {
  color: var(--ink3);
  font-size: 11px;
}
.more {
  padding: 4px 0;
}
</style>
