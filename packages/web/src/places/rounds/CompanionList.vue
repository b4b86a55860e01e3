<script setup lang="ts">
import type { AlertCompanion } from '#contract'
import { minute, type Millis } from '#core'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { lengthText } from '../../parts/format/time'
import SeverityMark from '../../parts/ui/SeverityMark.vue'

/** What begins to fail together with an alert's own post, again and again; nothing where nothing does. */
const props = defineProps<{ alertId: number }>()
const { data } = useResource(() => api.get<AlertCompanion[]>(`/alerts/${props.alertId}/companions`))
function whenText(later: Millis): string {
  if (Math.abs(later) < minute) return 'in the same minute'
  return later > 0 ? `mostly ${lengthText(later)} later` : `mostly ${lengthText(-later)} earlier`
}
</script>

<template>
  <template v-if="data?.length">
    <h2>Begins together with it</h2>
    <ul>
      <li v-for="companion in data" :key="companion.alertId">
        <SeverityMark :state="companion.severity" />
        <span><RouterLink :to="`/alerts/${companion.alertId}`">{{ companion.about }} on <span class="mono">{{ companion.deviceName }}</span></RouterLink><span class="muted">, {{ companion.together }} of {{ companion.of }} times, {{ whenText(companion.later) }}</span></span>
      </li>
    </ul>
  </template>
</template>

<style scoped>
ul {
  margin: 4px 0 12px;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  gap: 8px;
  padding: 3px 0;
  overflow-wrap: anywhere;
}
a {
  text-decoration: underline;
  text-decoration-thickness: 1px;
  text-underline-offset: 2px;
}
</style>
