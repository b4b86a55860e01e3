<script setup lang="ts">
import type { ServiceActionView } from '#contract'
import { durationText, type Millis } from '#core'
import { age } from '../../../parts/format/time'

/** What was asked of a service last, by whom, and how it went. */
defineProps<{ action: ServiceActionView; within: Millis }>()
const asking = { start: 'asked to start it', stop: 'asked to stop it', restart: 'asked to restart it' } as const
</script>

<template>
  <span class="asked" :class="{ warning: action.state === 'failed' || action.state === 'unanswered' }">{{ action.by ?? 'the watch' }} {{ asking[action.verb] }} {{ age(action.at) }} ago<template v-if="action.state === 'asked'">, no answer yet</template><template v-else-if="action.state === 'unanswered'">: no answer within {{ durationText(within) }}</template><template v-else-if="action.text">: {{ action.text }}</template></span>
</template>

<style scoped>
.asked {
  display: block;
  font-size: 13px;
}
.asked:not(.warning) {
  color: var(--ink2);
}
</style>
