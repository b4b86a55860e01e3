<script setup lang="ts">
import { ElDatePicker } from 'element-plus/es/components/date-picker/index'
import 'element-plus/es/components/date-picker/style/css'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import type { ChangedPage, ChangedSeries, DevicePage } from '#contract'
import { day, hour, largeDelta, type Millis } from '#core'
import { useAddressed } from '../../../parts/data/addressed'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { fullText } from '../../../parts/format/time'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { nameInAddress, seriesText, seriesTitle } from './subjects'

/** Which series have another level or rhythm since a moment. */
const props = defineProps<{ device: DevicePage; moment: Millis | null }>()
const emit = defineEmits<{ moment: [at: Millis] }>()
const route = useRoute()
const where = useAddressed('where', 'device')
/** Without one that was chosen: a day ago. */
const at = computed(() => props.moment ?? Math.floor((Date.now() - day) / hour) * hour)
const chosen = computed({
  get: () => new Date(at.value),
  set: (time: Date | null) => {
    if (time) emit('moment', time.getTime())
  },
})
const isToCome = (date: Date) => date.getTime() > Date.now()
const { data, error, refresh } = useResource(
  () => api.get<ChangedPage>(`/devices/${props.device.id}/changed?at=${at.value}&site=${where.value === 'site'}`),
  { sources: [at, where] },
)
function howOf({ metric, level, spread, shift, times }: ChangedSeries): string {
  const words: string[] = []
  if (Math.abs(level) >= largeDelta)
    words.push(`${seriesText(metric, Math.abs(shift))} ${shift < 0 ? 'less' : 'more'}, ${Math.abs(times).toFixed(1)} times what hours usually differ by`)
  if (spread >= largeDelta) words.push('another rhythm: hours lie farther from what was usual at their time of day')
  return words.join('; ')
}
const linkTo = ({ deviceId, ...series }: ChangedSeries) => ({
  path: `/estate/${deviceId}`,
  query: {
    ...route.query,
    open: nameInAddress(series),
    view: 'chart',
    at: new Date(at.value).toISOString(),
    from: new Date(data.value!.from).toISOString(),
    until: new Date(data.value!.until).toISOString(),
    last: undefined,
    beside: undefined,
  },
  hash: '#readings',
})
const columns = [
  { key: 'device', title: 'Device' },
  { key: 'series', title: 'Series' },
  { key: 'before', title: 'before', align: 'right' },
  { key: 'after', title: 'after', align: 'right' },
  { key: 'how', title: 'How', grow: 1 },
] as const
</script>

<template>
  <p class="sentence">What is different since
    <ElDatePicker
      v-model="chosen"
      type="datetime"
      format="YYYY-MM-DD HH:mm"
      aria-label="Since"
      :clearable="false"
      :disabled-date="isToCome"
      style="width: 190px"
    /> on
    <ChoiceField v-model="where" label="Where">
      <option value="device">{{ device.name }}</option>
      <option value="site">all devices of {{ device.siteName }}</option>
    </ChoiceField>?</p>
  <StateNotice :error="error" :loading="!data" @again="refresh" />
  <template v-if="data">
    <ShortTable v-if="data.changes.length" label="What changed" :rows="data.changes" :columns="columns" :row-key="(row) => `${row.deviceId} ${nameInAddress(row)}`">
      <template #device="{ row }"><span class="mono">{{ row.deviceName }}</span></template>
      <template #series="{ row }"><RouterLink v-if="row.metric" :to="linkTo(row)">{{ seriesTitle(row) }}</RouterLink></template>
      <template #before="{ row }">{{ row.metric ? seriesText(row.metric, row.before) : '' }}</template>
      <template #after="{ row }">{{ row.metric ? seriesText(row.metric, row.after) : '' }}</template>
      <template #how="{ row }">{{ row.metric ? howOf(row) : '' }}</template>
    </ShortTable>
    <p v-else class="muted pad">Nothing that was read here has another level or rhythm since then.</p>
    <p class="muted pad">{{ data.looked }} series, their hours from {{ fullText(data.from) }} against those until {{ fullText(data.until) }}, each from what was usual at its
      time of day<template v-if="data.unknown">; of {{ data.unknown }} there are too few hours</template><template v-if="data.devicesLeft">; {{ data.devicesLeft }} further devices of the site were not looked at</template>.
      By how often hours lie above those before (Cliff’s delta of {{ largeDelta }} or more), and by how much in the middle (Hodges and Lehmann). It says that something is different, and not why.</p>
  </template>
</template>

<style scoped>
.sentence {
  margin: 8px 0;
}
.pad {
  margin: 10px 0;
  max-width: 860px;
}
</style>
