<script setup lang="ts">
import type { WayState } from '#contract'
import { countText } from '#core'
import { exactText, fullText } from '../../../parts/format/time'

/** How a way does, in a sentence. */
defineProps<{ state: WayState }>()
</script>

<template>
  <p>
    <span v-if="state.failingSince" class="critical" :title="exactText(state.failingSince)">Nothing arrives since {{ fullText(state.failingSince) }}. It said: {{ state.answer || 'nothing' }}</span>
    <span v-else-if="state.answeredAt" class="muted" :title="exactText(state.answeredAt)">Last used {{ fullText(state.answeredAt) }}: {{ state.answer }}</span>
    <span v-else class="faint">Not used yet.</span>
    <template v-if="state.waiting"> {{ countText(state.waiting, 'message') }} {{ state.waiting === 1 ? 'waits' : 'wait' }}.</template>
    <span v-if="state.failed" class="warning"> {{ countText(state.failed, 'message') }} did not leave.</span>
  </p>
</template>
