<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { DevicePage, LogEntry, LogGroup, LogGroups, LogPage } from '#contract'
import { mostCounted } from '#contract'
import { countText, logLevels, numberText } from '#core'
import { useAddressed } from '../../../parts/data/addressed'
import { asOf } from '../../../parts/data/asOf'
import { api } from '../../../parts/data/api'
import { useParts } from '../../../parts/data/parts'
import { useResource, type ResourceOptions } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import { clockText, fullText, now } from '../../../parts/format/time'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import EntryDialog from './EntryDialog.vue'
import LogEntries from './LogEntries.vue'
import { useLogFilter } from './logFilter'
import LogRepeats from './LogRepeats.vue'
import LogVolume from './LogVolume.vue'
import WatchForDialog from './WatchForDialog.vue'

/** The log of a device, of a client, or of everyone: one entry after the other, or what repeats together. */
const props = defineProps<{ device?: DevicePage }>()
const session = useSession()
const filter = useLogFilter(() => props.device?.id ?? null)
const { level, channel, source, id, words, hours, query } = filter
const view = useAddressed('together')
const live: ResourceOptions = props.device ? { topics: ['reports'], deviceId: () => props.device!.id } : {}
/** Searched by the server, in all that is kept. */
const entries = useParts<LogPage>(
  (after) => api.get(`/log?${query.value}${after ? `&after=${encodeURIComponent(after)}` : ''}`),
  (before, after) => ({ entries: [...before.entries, ...after.entries], next: after.next }),
  { ...live, sources: [query] },
)
const counted = useResource(
  async () => ({ at: now.value, ...(await api.get<LogGroups>(`/log/groups?${query.value}`)) }),
  { sources: [query] },
)
const channels = computed(() => {
  const read = (props.device?.facts.logs ?? []).filter((log) => log.collected).map((log) => log.name)
  return channel.value && !read.includes(channel.value) ? [...read, channel.value] : read
})
const countWords = computed(() => {
  const found = counted.data.value
  if (!found) return ''
  if (!found.isMore) return `${countText(found.total, 'entry', 'entries')} ${found.total === 1 ? 'matches' : 'match'}.`
  return `More than ${numberText(mostCounted)} entries match; those since ${fullText(found.since!)} are counted.`
})
const isEmpty = computed(() => (view.value ? counted.data.value?.groups.length === 0 : entries.data.value?.entries.length === 0))
const isLoading = computed(() => (view.value ? !counted.data.value : !entries.data.value))
const error = computed(() => (view.value ? counted.error.value : entries.error.value))
function again(): void {
  void entries.refresh()
  void counted.refresh()
}
const opened = ref<LogEntry | null>(null)
const watching = ref<LogEntry | LogGroup | null>(null)
function narrow(to: LogEntry | LogGroup): void {
  opened.value = null
  filter.narrow(to)
}
function watchFor(entry: LogEntry | LogGroup): void {
  opened.value = null
  watching.value = entry
}
</script>

<template>
  <p class="sentence">Entries at
    <ChoiceField v-model="level" label="Level">
      <option v-for="name in logLevels" :key="name" :value="name">{{ name === 'debug' ? 'any level' : `${name} or worse` }}</option>
    </ChoiceField> in
    <ChoiceField v-if="device" v-model="channel" label="Log">
      <option value="">every log</option>
      <option v-for="name in channels" :key="name" :value="name">{{ name }}</option>
    </ChoiceField>
    <ElInput v-else v-model="channel" class="log" placeholder="every log" aria-label="Log" maxlength="200" clearable />
    from <ElInput v-model="source" class="source" placeholder="any source" aria-label="Source" maxlength="200" clearable />
    with id <ElInput v-model="id" class="id" placeholder="any" aria-label="Event id" inputmode="numeric" maxlength="10" />
    saying <ElInput v-model="words" class="words" placeholder="anything" aria-label="Words" maxlength="200" clearable />{{ ' ' }}
    <span v-if="session.span" class="muted">from {{ fullText(session.span.from) }} until {{ fullText(session.span.until) }} <button class="link" @click="session.span = null">the whole time</button></span>
    <ChoiceField v-else v-model="hours" label="Time">
      <option value="">whenever</option>
      <option value="1">in the last hour</option>
      <option value="24">in the last 24 hours</option>
      <option value="168">in the last 7 days</option>
      <option value="720">in the last 30 days</option>
    </ChoiceField>,
    <ChoiceField v-model="view" label="View">
      <option value="">one by one, the newest first</option>
      <option value="yes">repeats together, most first</option>
      <option v-if="!asOf" value="volume">how many of a day, by log and level</option>
    </ChoiceField>{{ ' ' }}
    <button v-if="filter.isAsked.value" class="link" @click="filter.clear">show all</button></p>
  <LogVolume v-if="view === 'volume'" :device-id="device?.id ?? null" />
  <template v-else>
  <p class="muted count" aria-live="polite">{{ countWords }} <template v-if="counted.data.value">As of {{ clockText(counted.data.value.at) }}. <button class="link" @click="again">Look again</button></template></p>
  <StateNotice
    :error="error"
    :loading="isLoading"
    :empty="isEmpty ? 'No entry matches. In all fields * stands for any run of characters; source and log are whole names.' : ''"
    @again="again"
  />
  <LogRepeats v-if="view && counted.data.value?.groups.length" :found="counted.data.value" @narrow="narrow" @watch="watchFor" />
  <LogEntries v-if="!view && entries.data.value?.entries.length" :entries="entries.data.value.entries" :of-device="device !== undefined" @open="opened = $event" @source="source = $event" />
  <p v-if="!view && entries.data.value?.next" class="more"><button class="link" @click="entries.more">Older entries</button></p>
  </template>
  <EntryDialog v-if="opened" :entry="opened" @narrow="narrow" @watch="watchFor" @close="opened = null" />
  <WatchForDialog v-if="watching" :entry="watching" :device="device" @close="watching = null" />
</template>

<style scoped>
.sentence {
  margin: 8px 0 2px;
}
.log,
.source {
  width: 130px;
}
.id {
  width: 64px;
}
.words {
  width: 220px;
}
.count {
  margin: 4px 0 8px;
}
.more {
  padding: 8px 0;
}
</style>
