<script setup lang="ts">
import { computed } from 'vue'
import type { AlertCallouts } from '#contract'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { messageWords, stepWords } from '../../parts/format/calloutWords'
import { exactText, fullText } from '../../parts/format/time'
import StateNotice from '../../parts/ui/StateNotice.vue'

/** Who was told of an alert, or of a request, and whether it left, and who is told next if nothing happens. */
const props = defineProps<{ of: 'alert' | 'request'; id: number; zone: string; isOver: boolean }>()
const { data, error, refresh } = useResource(() => api.get<AlertCallouts>(`/${props.of}s/${props.id}/callouts`), {
  topics: ['callouts', 'alerts', 'requests', 'windows'],
  isNow: true,
})
const isNobody = computed(() => data.value?.said.length === 0 && data.value.next.length === 0)
</script>

<template>
  <div>
    <h2>Who was told</h2>
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <template v-if="data">
      <p v-if="isNobody" class="muted">Nobody: {{ isOver ? 'no call-out rule had anything to say of it.' : 'no call-out rule has anything to say of it. Whoever looks at Rounds sees it.' }}</p>
      <ul>
        <li v-for="next in data.next" :key="`${next.rule} ${next.at}`">
          <time class="faint" :title="exactText(next.at, zone)">{{ fullText(next.at) }}</time>
          <span class="muted">next, if nothing happens: {{ stepWords[next.step] }} to {{ next.to }} <span class="faint">({{ next.rule }})</span></span>
        </li>
        <li v-for="(said, i) in data.said" :key="i">
          <time class="faint" :title="exactText(said.at, zone)">{{ fullText(said.at) }}</time>
          <span>{{ stepWords[said.step] }} to <template v-for="(to, n) in said.to" :key="n"><template v-if="n">, </template><b>{{ to.name }}</b> <span :class="to.state === 'failed' ? 'critical' : 'faint'">({{ to.wasOver ? 'not sent: it was over before' : messageWords[to.state] }}<template v-if="to.state === 'failed' || to.state === 'waiting'">: {{ to.answer }}</template>)</span></template>{{ ' ' }}<span v-if="!said.to.length" class="warning">nobody: there was nobody who may see this client</span>
            <span class="faint">{{ said.rule }}</span></span>
        </li>
      </ul>
    </template>
  </div>
</template>

<style scoped>
h2 {
  border-top: 1px solid var(--rule);
  margin: 18px 0 4px;
  padding-top: 6px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 112px minmax(0, 1fr);
  gap: 8px;
  padding: 2px 0;
  border-bottom: 1px solid var(--rule2);
  overflow-wrap: anywhere;
}
</style>
