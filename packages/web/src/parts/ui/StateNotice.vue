<script setup lang="ts">
import type { ApiError } from '../data/api'

/** What stands in a place that has nothing to show: still loading, refused, or empty. */
defineProps<{ error: ApiError | null; loading: boolean; empty?: string }>()
defineEmits<{ again: [] }>()
</script>

<template>
  <p v-if="error" class="notice" role="alert"><b>{{ error.problem.title }}.</b> {{ error.message }}
    <button class="link" @click="$emit('again')">Try again</button></p>
  <p v-else-if="loading" class="notice faint" aria-busy="true">Loading…</p>
  <p v-else-if="empty" class="notice muted">{{ empty }}</p>
</template>

<style scoped>
.notice {
  padding: 14px 0;
  animation: late 0.3s 0.25s both;
}
@keyframes late {
  from {
    opacity: 0;
  }
}
</style>
