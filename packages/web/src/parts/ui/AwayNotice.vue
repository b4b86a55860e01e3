<script setup lang="ts">
import type { AwayReadings } from '#contract'
import { dayText } from '../format/time'

/** That a part of the time cannot be shown now, and why. */
defineProps<{ away: AwayReadings | null | undefined }>()
</script>

<template>
  <p v-if="away" class="away" role="status">
    What was before {{ dayText(away.before) }} lies on another database server, {{ away.server }}, which does not answer
    now. Nothing of it is lost.
  </p>
</template>

<style scoped>
.away {
  margin: 8px 0;
}
</style>
