<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import type { LogEntry } from '#contract'
import { useSession } from '../../../parts/data/session'
import { age, exactText } from '../../../parts/format/time'
import { levelClass } from './logFilter'

/** All of one entry, and what to do with it. */
defineProps<{ entry: LogEntry }>()
const emit = defineEmits<{ close: []; narrow: [entry: LogEntry]; watch: [entry: LogEntry] }>()
const session = useSession()
</script>

<template>
  <ElDialog :model-value="true" :title="`${entry.source || entry.channel}, ${exactText(entry.at)}`" width="720" append-to-body @close="emit('close')">
    <p><span :class="levelClass(entry.level)">{{ entry.level }}</span><template v-if="entry.id !== null">, event {{ entry.id }}</template> in {{ entry.channel }}
      on <RouterLink class="mono" :to="`/estate/${entry.deviceId}`">{{ entry.deviceName }}</RouterLink> of {{ entry.clientName }},
      {{ age(entry.at) }} ago</p>
    <p class="mono text">{{ entry.text || 'no text' }}</p>
    <dl v-if="entry.fields">
      <template v-for="(value, name) in entry.fields" :key="name"><dt class="mono muted">{{ name }}</dt><dd class="mono">{{ value }}</dd></template>
    </dl>
    <p class="row">
      <button v-if="session.isStaff" class="btn main" @click="emit('watch', entry)">Watch for it…</button>
      <button class="btn" @click="emit('narrow', entry)">Show all like it</button>
      <button class="btn" @click="emit('close')">Close</button>
    </p>
  </ElDialog>
</template>

<style scoped>
.text {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-height: 40vh;
  overflow: auto;
  margin: 10px 0;
  padding: 8px 10px;
  border-left: 2px solid var(--rule);
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 2px 14px;
  margin: 0 0 10px;
  font-size: 13px;
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
