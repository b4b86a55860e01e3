<script setup lang="ts">
import type { RouteLocationRaw } from 'vue-router'
import type { Severity } from '#core'
import SeverityMark from './SeverityMark.vue'

/** One thing of a device by its name, and how it is, as a line of its own. */
defineProps<{
  name: string
  /** A word of ours, and not as the system calls it. */ plain?: boolean
  to?: RouteLocationRaw | undefined
  /** Of its open alert. */ severity?: Severity | undefined
}>()
</script>

<template>
  <p>
    <slot name="before" />
    <SeverityMark v-if="severity" :state="severity" />
    <RouterLink v-if="to" class="name" :class="{ mono: !plain }" :to="to">{{ name }}</RouterLink>
    <span v-else class="name" :class="{ mono: !plain }">{{ name }}</span>
    <slot />
  </p>
</template>

<style scoped>
p {
  display: flex;
  gap: 10px;
  align-items: baseline;
  padding: 2px 0;
}
.name {
  flex: none;
  max-width: 45%;
  overflow-wrap: anywhere;
}
</style>
