<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { DeviceEvent } from '#contract'
import { logLevelCode, logLevels, type LogLevel } from '#core'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { exactText, fullText } from '../../parts/format/time'
import ChoiceField from '../../parts/ui/ChoiceField.vue'

const props = defineProps<{ deviceId: number }>()
const { data, error, refresh } = useResource(
  () => api.get<DeviceEvent[]>(`/devices/${props.deviceId}/events?limit=300`),
  { topics: ['reports'], deviceId: () => props.deviceId },
)
const level = ref<LogLevel>('debug')
const words = ref('')
const shown = computed(() =>
  (data.value ?? []).filter(
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
    </ChoiceField> saying <ElInput v-model="words" placeholder="anything" aria-label="Words" /> <span class="muted">— {{ shown.length }} of the newest {{ data?.length ?? 0 }}</span></p>
  <StateNotice
    :error="error"
    :loading="!data"
    :empty="data && !shown.length ? 'No entry matches.' : ''"
    @again="refresh"
  />
  <table v-if="shown.length" class="board">
    <tbody>
      <tr v-for="(event, i) in shown" :key="i">
        <td class="muted time" :title="exactText(event.at)">{{ fullText(event.at) }}</td>
        <td class="muted">{{ event.channel }}</td>
        <td class="mono">{{ event.source }}<template v-if="event.id !== null"> {{ event.id }}</template></td>
        <td :class="colour(event)">{{ event.level }}</td>
        <td class="text">{{ event.text }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.time {
  white-space: nowrap;
}
.text {
  overflow-wrap: anywhere;
  width: 60%;
}
.sentence {
  margin: 8px 0;
}
select,
input {
  font: 600 15px var(--serif);
  color: var(--ink);
  background: none;
  border: 0;
  border-bottom: 1.5px dotted var(--ink3);
}
option {
  background: var(--sheet);
}
</style>
