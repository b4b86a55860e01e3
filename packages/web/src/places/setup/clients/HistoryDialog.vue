<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { ElUpload, type UploadRequestOptions } from 'element-plus/es/components/upload/index'
import 'element-plus/es/components/upload/style/css'
import { useIntervalFn } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { Client, HistoryLoad } from '#contract'
import { countText, numberText, second } from '#core'
import { api } from '../../../parts/data/api'
import { allDevices } from '../../../parts/data/devices'
import { useResource } from '../../../parts/data/resource'
import { dayText, fullText } from '../../../parts/format/time'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { attempt } from '../../../parts/ui/notify'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'

/** Brings readings from before a client's devices were watched, and tells what became of each file. */
const props = defineProps<{ client: Client }>()
const emit = defineEmits<{ close: [] }>()
const { data, error, refresh } = useResource(() => api.get<HistoryLoad[]>(`/clients/${props.client.id}/history`))
const devices = useResource(() => allDevices({ client: String(props.client.id) }))
const device = ref('')
const choices = computed(() => [
  { value: '', text: 'each line names its device' },
  ...(devices.data.value ?? []).map(({ id, name }) => ({ value: String(id), text: `all of it is of ${name}` })),
])
const busy = ref(false)
const { pause, resume } = useIntervalFn(() => void refresh(), second, { immediate: false })
async function bring({ file }: UploadRequestOptions): Promise<void> {
  const media = /\.csv$/i.test(file.name) ? 'text/csv' : 'application/x-ndjson'
  const query = new URLSearchParams({ file: file.name.slice(0, 200), ...(device.value ? { device: device.value } : {}) })
  busy.value = true
  resume()
  await attempt(() => api.send<HistoryLoad>(`/clients/${props.client.id}/history?${query}`, file, media))
  pause()
  busy.value = false
  await refresh()
}
function howOf({ endedAt, isBrokenOff, lines, taken, refused, devices: count, alerts, firstAt, lastAt }: HistoryLoad): string {
  const state = endedAt !== null ? '' : isBrokenOff ? 'Broken off; bring it again, what is there stays. ' : 'Being read: '
  const span = firstAt === null || lastAt === null ? '' : `, ${dayText(firstAt)} to ${dayText(lastAt)}`
  return `${state}${numberText(lines)} lines; ${countText(taken, 'reading')} of ${countText(count, 'device')}${span}; ${numberText(refused)} refused${alerts ? `; ${countText(alerts, 'alert')} in it` : ''}`
}
const shown = ref<number | null>(null)
const refusals = computed(() => data.value?.find(({ id }) => id === shown.value) ?? null)
const columns = [
  { key: 'when', title: 'Brought', width: 150 },
  { key: 'file', title: 'File', width: 190 },
  { key: 'how', title: 'What became of it', grow: 1 },
] as const
const refusalColumns = [
  { key: 'line', title: 'Line', width: 90, align: 'right' },
  { key: 'reason', title: 'Why it was refused', grow: 1 },
] as const
</script>

<template>
  <ElDialog :model-value="true" :title="`History of ${client.name}`" width="860px" @close="emit('close')">
    <p>Readings of days that are over, in a file: NDJSON, or CSV with a heading. A line is
      <code>{{ '{"device": "tm-gate-1", "time": "2026-03-01T08:15:00Z", "metric": "cpu.busy", "instance": "", "value": 0.25}' }}</code>;
      in CSV the columns are <code>device, time, metric, instance, value</code>. What agents told stays as it is, and nobody is told of what it says.</p>
    <p class="row">In this file <ChoiceField v-model="device" label="Whose readings" :choices="choices" /></p>
    <ElUpload drag :show-file-list="false" :http-request="bring" :disabled="busy" accept=".csv,.ndjson,.jsonl,.json,.txt">
      {{ busy ? 'It is being read…' : 'Put a file here, or click to choose one' }}
    </ElUpload>
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <ShortTable v-if="data?.length" label="Files that were brought" :rows="data" :columns="columns" row-key="id">
      <template #when="{ row }">{{ row.startedAt ? fullText(row.startedAt) : '' }}<br><span class="muted">{{ row.person }}</span></template>
      <template #file="{ row }"><span class="mono">{{ row.file }}</span></template>
      <template #how="{ row }"><template v-if="row.startedAt">{{ howOf(row) }}<template v-if="row.refusals.length">, <button class="link" @click="shown = shown === row.id ? null : row.id">why</button></template>.</template></template>
    </ShortTable>
    <template v-if="refusals">
      <ShortTable label="Lines that were refused" :rows="refusals.refusals" :columns="refusalColumns" row-key="line">
        <template #line="{ row }">{{ row.line ? numberText(row.line) : '' }}</template>
        <template #reason="{ row }">{{ row.reason }}</template>
      </ShortTable>
      <p v-if="refusals.refused > refusals.refusals.length" class="muted">The first {{ numberText(refusals.refusals.length) }} of {{ numberText(refusals.refused) }}.</p>
    </template>
  </ElDialog>
</template>

<style scoped>
.row {
  margin: 10px 0;
}
code {
  font: 12px var(--mono);
}
</style>
