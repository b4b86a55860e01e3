<script setup lang="ts">
import { ElDatePicker } from 'element-plus/es/components/date-picker/index'
import 'element-plus/es/components/date-picker/style/css'
import { computed, watch as watchChange } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { WhyPage } from '#contract'
import { useAddressed } from '../../parts/data/addressed'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { exactText, fullText } from '../../parts/format/time'
import { whyText } from '../../parts/format/whyWords'
import ChoiceField from '../../parts/ui/ChoiceField.vue'
import PolicyLink from '../../parts/ui/PolicyLink.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'

/** Why there was an alert about a post at a time, or was none: step by step, by what was true then. */
const route = useRoute()
const router = useRouter()
const id = Number(route.params.id)
const watch = useAddressed('watch')
const instance = useAddressed('instance')
const at = useAddressed('at')
const time = computed({
  get: () => (at.value ? new Date(Number(at.value)) : null),
  set: (chosen: Date | null) => {
    at.value = chosen ? String(chosen.getTime()) : ''
  },
})
const { data, error, refresh } = useResource(
  () => {
    const query = new URLSearchParams({ watch: watch.value || '-', instance: instance.value })
    if (at.value) query.set('at', at.value)
    return api.get<WhyPage>(`/devices/${id}/why?${query}`)
  },
  { topics: ['alerts', 'windows', 'policy'], deviceId: () => id, sources: [watch, instance, at] },
)
const instances = computed(() => {
  const known = data.value?.watches.find(({ key }) => key === watch.value)?.instances ?? []
  // What was asked about stays in sight, also where it is there no more.
  return [...new Set([...known, ...(instance.value || !known.length ? [instance.value] : [])])]
})
const isToCome = (date: Date) => date.getTime() > Date.now()
const instancesOf = (key: string) => data.value?.watches.find((one) => one.key === key)?.instances ?? []
function choose(key: string): void {
  const first = instancesOf(key)[0] ?? ''
  const { instance: _was, ...query } = route.query
  void router.replace({ query: { ...query, watch: key, ...(first ? { instance: first } : {}) } })
}
// Asked about a watch as a whole, where it has many of what it looks at: about the first of them.
watchChange([data, watch], () => {
  const known = instancesOf(watch.value)
  if (!instance.value && known.length && !known.includes('')) instance.value = known[0]!
})
</script>

<template>
  <article class="page">
    <p><RouterLink :to="`/estate/${id}`" class="mono">{{ data?.deviceName ?? 'the device' }}</RouterLink></p>
    <h1>Why</h1>
    <p v-if="data" class="sentence">Why was there an alert, or none, about
      <ChoiceField :model-value="watch" label="Watch" @update:model-value="choose">
        <option v-if="!data.watches.some(({ key }) => key === watch)" :value="watch">{{ watch || 'choose a watch' }}</option>
        <option v-for="one in data.watches" :key="one.key" :value="one.key">{{ one.name }}</option>
      </ChoiceField>
      <template v-if="instances.length > 1 || instances[0]">on
        <ChoiceField v-model="instance" label="What of it">
          <option v-for="name in instances" :key="name" :value="name">{{ name || 'as a whole' }}</option>
        </ChoiceField></template>
      at
      <ElDatePicker
        v-model="time"
        type="datetime"
        format="YYYY-MM-DD HH:mm"
        placeholder="now"
        aria-label="When"
        :disabled-date="isToCome"
        style="width: 190px"
      />?</p>
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <template v-if="data && watch">
      <p class="muted">As of <time :title="exactText(data.at, data.zone)">{{ fullText(data.at) }}</time>, by what was in force and known then.<template
        v-if="data.knownSince"
      > What the device and its site were is known since {{ fullText(data.knownSince) }} only; before that it is taken as it was then.</template></p>
      <ol aria-label="Steps">
        <li v-for="(step, i) in data.steps" :key="i" :class="step.result">
          <RouterLink v-if="step.id !== null && (step.code === 'held' || step.code === 'not-named')" :to="`/maintenance/${step.id}`">{{ step.text || 'A window' }}</RouterLink>
          <RouterLink v-else-if="step.id !== null" :to="`/alerts/${step.id}`">{{ whyText(step) }}</RouterLink>
          <template v-if="step.id === null || step.code === 'held' || step.code === 'not-named'">{{ step.id === null ? '' : ' ' }}{{ whyText(step) }}</template>
          <template v-for="source in step.sources" :key="source.from + source.id"><template v-if="source.from === 'template'">,
            from <PolicyLink :template-id="source.id">{{ source.name }}, revision {{ source.revision }}</PolicyLink></template></template>
        </li>
      </ol>
    </template>
  </article>
</template>

<style scoped>
.sentence {
  margin: 8px 0 12px;
}
ol {
  list-style: none;
  margin: 10px 0;
  padding: 0 0 0 3px;
  border-left: 1px solid var(--rule);
  max-width: 860px;
}
li {
  position: relative;
  padding: 5px 0 5px 16px;
  overflow-wrap: anywhere;
}
li :deep(a) {
  text-decoration: underline;
  text-decoration-thickness: 1px;
  text-underline-offset: 2px;
}
li::before {
  content: '';
  position: absolute;
  left: -6.5px;
  top: 12px;
  width: 6px;
  height: 6px;
  border-radius: 50%;
  background: var(--ink2);
}
/* Where it ended: the step that decided. */
.stopped {
  font-weight: 600;
}
.stopped::before {
  border-radius: 0;
  background: var(--act);
}
li:last-child {
  font-weight: 600;
}
</style>
