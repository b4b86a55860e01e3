<script setup lang="ts">
import type { Doubt } from '../data/known'

/** Beside a state that may be so no longer, or in place of one that nobody knows. */
defineProps<{ doubt: Doubt | null }>()
</script>

<template><span v-if="doubt" class="doubt" :title="doubt.title">{{ doubt.text }}</span></template>

<style scoped>
.doubt {
  color: var(--ink2);
  font-size: 14px;
  font-weight: 400;
  font-style: italic;
  margin-left: 4px;
}
.doubt:first-child {
  margin-left: 0;
}
</style>
