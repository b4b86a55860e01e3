<script setup lang="ts">
import { defineAsyncComponent, ref } from 'vue'
import type { AuditKind, LiveEvent } from '#contract'

/** What people did to one thing, read once somebody asks for it. */
defineProps<{ kind: AuditKind; id: number; topics: LiveEvent['topic'][] }>()
const TrailOf = defineAsyncComponent(() => import('./TrailOf.vue'))
const isOpen = ref(false)
</script>

<template>
  <section class="trail" aria-label="Audit trail">
    <button class="link" :aria-expanded="isOpen" @click="isOpen = !isOpen">Who did what to it</button>
    <TrailOf v-if="isOpen" :id="id" :kind="kind" :topics="topics" />
  </section>
</template>

<style scoped>
.trail {
  margin-top: 18px;
  border-top: 1px solid var(--rule);
  padding-top: 6px;
}
@media print {
  .trail {
    display: none;
  }
}
</style>
