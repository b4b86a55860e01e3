<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { DeviceEvent } from '#contract'
import { logLevelCode, logLevels, type LogLevel } from '#core'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { attempt } from '../../parts/ui/notify'
import ShortTable from '../../parts/ui/ShortTable.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { exactText, fullText } from '../../parts/format/time'
import ChoiceField from '../../parts/ui/ChoiceField.vue'

const props = defineProps<{ deviceId: number }>()
const atOnce = 300
const { data, error, refresh } = useResource(
  () => api.get<DeviceEvent[]>(`/devices/${props.deviceId}/events?limit=${atOnce}`),
  { topics: ['reports'], deviceId: () => props.deviceId },
)
/** What was asked for beyond the newest. */
const before = ref<DeviceEvent[]>([])
const isWhole = ref(false)
const loading = ref(false)
const all = computed(() => {
  const newest = data.value ?? []
  const last = newest.at(-1)?.at ?? Infinity
  return [...newest, ...before.value.filter((event) => event.at < last)].map((event, n) => ({ ...event, n }))
})
const mayBeMore = computed(() => !isWhole.value && all.value.length >= atOnce)
async function older(): Promise<void> {
  loading.value = true
  const last = all.value.at(-1)!.at
  const found = await attempt(() =>
    api.get<DeviceEvent[]>(`/devices/${props.deviceId}/events?limit=${atOnce}&before=${last}`),
  )
  loading.value = false
  if (!found) return
  before.value = [...before.value, ...found]
  isWhole.value = found.length < atOnce
}
const columns = [
  { key: 'at', title: 'Time', width: 150 },
  { key: 'channel', title: 'Log', width: 110 },
  { key: 'source', title: 'Source', width: 140 },
  { key: 'id', title: 'Id', width: 70 },
  { key: 'level', title: 'Level', width: 110 },
  { key: 'text', title: 'Entry', width: 300, grow: 1 },
]
const level = ref<LogLevel>('debug')
const words = ref('')
const shown = computed(() =>
  all.value.filter(
    (event) =>
      logLevelCode(event.level) <= logLevelCode(level.value) &&
      `${event.channel} ${event.source} ${event.text}`.toLowerCase().includes(words.value.toLowerCase()),
  ),
)
const colour = (event: DeviceEvent) =>
  logLevelCode(event.level) <= 3 ? 'critical' : event.level === 'warning' ? 'warning' : 'muted'
</script>

<template>
  <p class="sentence">Entries at
    <ChoiceField v-model="level" label="Level">
      <option v-for="level in logLevels" :key="level" :value="level">{{ level === 'debug' ? 'any level' : `${level} or worse` }}</option>
    </ChoiceField> saying <ElInput v-model="words" placeholder="anything" aria-label="Words" /> <span class="muted">— {{ shown.length }} of the {{ all.length }} newest</span></p>
  <StateNotice
    :error="error"
    :loading="!data"
    :empty="data && !shown.length ? 'No entry matches.' : ''"
    @again="refresh"
  />
  <ShortTable v-if="shown.length" label="Log entries, newest first" :rows="shown" :columns="columns" row-key="n">
    <template #cell="{ row, column }">
      <span v-if="column === 'at'" class="muted" :title="exactText(row.at)">{{ fullText(row.at) }}</span>
      <span v-else-if="column === 'channel'" class="muted">{{ row.channel }}</span>
      <span v-else-if="column === 'source'" class="mono">{{ row.source }}</span>
      <span v-else-if="column === 'id'" class="mono">{{ row.id ?? '' }}</span>
      <span v-else-if="column === 'level'" :class="colour(row)">{{ row.level }}</span>
      <span v-else class="text">{{ row.text }}</span>
    </template>
  </ShortTable>
  <p v-if="mayBeMore" class="more"><button class="link" :disabled="loading" @click="older">older entries</button></p>
</template>

<style scoped>
.text {
  overflow-wrap: anywhere;
}
.sentence {
  margin: 8px 0;
}
.more {
  padding: 8px 0;
}
</style>
