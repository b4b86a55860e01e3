<script setup lang="ts">
import type { RunAction, RunState } from '#contract'

/** The head of a run of waves: how it stands, why, and what can be done with it. */
defineProps<{ title: string; standing: string; state: RunState; reason: string }>()
defineEmits<{ control: [action: RunAction] }>()
</script>

<template>
  <div class="head"><h2>{{ title }}</h2><span class="muted">{{ standing }}</span>
    <span class="end"><button v-if="state === 'running'" class="btn" @click="$emit('control', 'pause')">Pause</button><button v-if="state === 'paused'" class="btn main" @click="$emit('control', 'resume')">Resume</button><button v-if="['running', 'paused'].includes(state)" class="btn" @click="$emit('control', 'stop')">Stop</button></span></div>
  <p v-if="reason" :class="state === 'paused' ? 'warning' : 'muted'">{{ reason }}</p>
</template>
