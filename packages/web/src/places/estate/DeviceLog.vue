<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { refDebounced } from '@vueuse/core'
import { computed, toRef } from 'vue'
import type { DeviceEvent, DevicePage } from '#contract'
import { logLevelCode, logLevels } from '#core'
import { api } from '../../parts/data/api'
import { useAddressed } from '../../parts/data/addressed'
import { useParts } from '../../parts/data/parts'
import { useSession } from '../../parts/data/session'
import ShortTable from '../../parts/ui/ShortTable.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { exactText, fullText } from '../../parts/format/time'
import ChoiceField from '../../parts/ui/ChoiceField.vue'

const props = defineProps<{ device: DevicePage }>()
const session = useSession()
const level = useAddressed('level', 'debug')
const channel = useAddressed('log')
const words = useAddressed('words')
const asked = refDebounced(words, 250)
/** Searched by the server, in all that is kept: the span of the watchline bounds it where one is drawn. */
const parts = useParts<{ rows: DeviceEvent[]; next: string | null }>(
  async (after) => {
    const query = new URLSearchParams({ limit: '200' })
    if (level.value !== 'debug') query.set('level', level.value)
    if (channel.value) query.set('channel', channel.value)
    if (asked.value.trim()) query.set('words', asked.value.trim())
    if (session.span) query.set('from', String(Math.floor(session.span.from)))
    if (session.span) query.set('before', String(Math.ceil(session.span.until)))
    if (after) query.set('after', after)
    const rows = await api.get<DeviceEvent[]>(`/devices/${props.device.id}/events?${query}`)
    return { rows, next: rows.length < 200 ? null : rows.at(-1)!.key }
  },
  (before, next) => ({ rows: [...before.rows, ...next.rows], next: next.next }),
  {
    topics: ['reports'],
    deviceId: () => props.device.id,
    sources: [level, channel, asked, toRef(session, 'span')],
  },
)
const { data, error, refresh } = parts
const shown = computed(() => data.value?.rows ?? [])
const channels = computed(() => (props.device.facts.logs ?? []).filter((log) => log.collected).map((log) => log.name))
const columns = [
  { key: 'at', title: 'Time', width: 150 },
  { key: 'channel', title: 'Log', width: 110 },
  { key: 'source', title: 'Source', width: 140 },
  { key: 'id', title: 'Id', width: 70 },
  { key: 'level', title: 'Level', width: 110 },
  { key: 'text', title: 'Entry', width: 300, grow: 1 },
]
const colour = (event: DeviceEvent) =>
  logLevelCode(event.level) <= 3 ? 'critical' : event.level === 'warning' ? 'warning' : 'muted'
</script>

<template>
  <p class="sentence">Entries at
    <ChoiceField v-model="level" label="Level">
      <option v-for="level in logLevels" :key="level" :value="level">{{ level === 'debug' ? 'any level' : `${level} or worse` }}</option>
    </ChoiceField> in
    <ChoiceField v-model="channel" label="Log">
      <option value="">every log</option>
      <option v-for="name in channels" :key="name" :value="name">{{ name }}</option>
    </ChoiceField> saying <ElInput v-model="words" placeholder="anything" aria-label="Words" clearable />
    <span v-if="session.span" class="muted">from {{ fullText(session.span.from) }} until {{ fullText(session.span.until) }} <button class="link" @click="session.span = null">the whole time</button></span>
    <span v-else class="muted">— the newest first; draw a span on the watchline to see that time</span></p>
  <StateNotice
    :error="error"
    :loading="!data"
    :empty="data && !shown.length ? 'No entry matches.' : ''"
    @again="refresh"
  />
  <ShortTable v-if="shown.length" label="Log entries, newest first" :rows="shown" :columns="columns" row-key="key">
    <template #cell="{ row, column }">
      <span v-if="column === 'at'" class="muted" :title="exactText(row.at)">{{ fullText(row.at) }}</span>
      <span v-else-if="column === 'channel'" class="muted">{{ row.channel }}</span>
      <span v-else-if="column === 'source'" class="mono">{{ row.source }}</span>
      <span v-else-if="column === 'id'" class="mono">{{ row.id ?? '' }}</span>
      <span v-else-if="column === 'level'" :class="colour(row)">{{ row.level }}</span>
      <span v-else class="text">{{ row.text }}</span>
    </template>
  </ShortTable>
  <p v-if="data?.next" class="more"><button class="link" @click="parts.more">older entries</button></p>
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
