<script setup lang="ts">
import type { CalloutRuleView } from '#contract'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import RuleSentence from '../../parts/ui/RuleSentence.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'

/** Who would be told of alerts on a device. */
const props = defineProps<{ deviceId: number }>()
const { data, error, refresh } = useResource(() => api.get<CalloutRuleView[]>(`/devices/${props.deviceId}/callouts`), {
  topics: ['callouts', 'estate'],
  isNow: true,
})
</script>

<template>
  <section aria-label="Who is told">
    <h3>Who is told</h3>
    <StateNotice :error="error" :loading="!data" :empty="data && !data.length ? 'Nobody: no call-out rule reaches this device.' : ''" @again="refresh" />
    <div v-for="rule in data ?? []" :key="rule.id" class="one">
      <p><b>{{ rule.name }}</b><span v-if="rule.isPaused" class="warning"> paused</span></p>
      <RuleSentence :parts="rule.sentence" />
    </div>
  </section>
</template>

<style scoped>
h3 {
  margin: 18px 0 4px;
}
.one {
  padding: 4px 0;
  border-bottom: 1px solid var(--rule2);
}
</style>
