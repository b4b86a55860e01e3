<script setup lang="ts">
import { computed } from 'vue'
import type { RunAction, RunState } from '#contract'
import { api } from '../../../parts/data/api'
import { attempt } from '../../../parts/ui/notify'

/** A run of waves: how it stands, why, what can be done with it, and what failed; its members stand below. */
const props = defineProps<{
  /** Where it is controlled. */
  path: string
  title: string
  /** Beside which wave it is at. */
  about: string
  run: { state: RunState; wave: number; waves: number; reason: string; failed: number }
}>()
const emit = defineEmits<{ changed: [] }>()
const standing = computed(() =>
  props.run.state === 'running' ? `wave ${props.run.wave} of ${props.run.waves}` : props.run.state,
)
async function control(action: RunAction): Promise<void> {
  if (await attempt(() => api.post(`${props.path}/${action}`))) emit('changed')
}
</script>

<template>
  <div class="head">
    <h2>{{ title }}</h2>
    <span class="muted">{{ standing }}{{ about }}</span>
    <span class="end">
      <button v-if="run.state === 'running'" class="btn" @click="control('pause')">Pause</button>
      <button v-if="run.state === 'paused'" class="btn main" @click="control('resume')">Resume</button>
      <button v-if="['running', 'paused'].includes(run.state)" class="btn" @click="control('stop')">Stop</button>
    </span>
  </div>
  <p v-if="run.reason" :class="run.state === 'paused' ? 'warning' : 'muted'">{{ run.reason }}</p>
  <div v-if="run.failed" class="failures" role="group" aria-label="Failures">
    <slot name="failures" />
    <button class="btn" @click="control('retry')">Try again only the {{ run.failed }} that failed</button>
  </div>
  <div class="members"><slot /></div>
</template>

<style scoped>
.failures {
  border-left: 2px solid var(--critical);
  padding-left: 12px;
  margin: 6px 0;
  display: grid;
  gap: 2px;
  justify-items: start;
}
.failures .btn {
  margin-top: 4px;
}
:deep(.far) {
  display: block;
  max-width: 340px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
:deep(.failed .far) {
  color: var(--critical);
}
:deep(.waiting .far) {
  color: var(--ink3);
}
</style>
