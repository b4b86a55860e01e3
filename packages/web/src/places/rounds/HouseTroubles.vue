<script setup lang="ts">
import type { Trouble } from '#contract'
import { useIntervalFn } from '@vueuse/core'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { troublePart, troubleText } from '../../parts/format/healthWords'
import SeverityMark from '../../parts/ui/SeverityMark.vue'

/** What is not well about the server itself: for leads, above what is not well at clients. */
const { data, refresh } = useResource(() => api.get<Trouble[]>('/health/troubles'), { topics: ['callouts'], isNow: true })
useIntervalFn(() => void refresh(), 60_000)
</script>

<template>
  <ul v-if="data?.length" aria-label="The server itself">
    <li v-for="(trouble, i) in data" :key="i"><SeverityMark state="warning" /> <span>{{ troubleText(trouble) }} <RouterLink :to="`/setup?part=${troublePart(trouble)}`">See to it</RouterLink></span></li>
  </ul>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0 0 6px;
  padding: 4px 0;
  border-bottom: 1px solid var(--rule);
}
li {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
</style>
