<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { DevicePage, LogEntry, LogGroup, LogMatches } from '#contract'
import { matchedDays } from '#contract'
import type { PolicyStep, Values } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import SentenceEditor from '../../../parts/ui/SentenceEditor.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import ChangeDialog from '../../policy/impact/ChangeDialog.vue'
import IntoTemplate from '../../policy/impact/IntoTemplate.vue'
import { useIntoTemplate } from '../../policy/impact/useIntoTemplate'
import { valuesFor } from './logFilter'
import MatchedDays from './MatchedDays.vue'
import { allValues, kindWords, logTemplateOf, watchIn, watchOn, type LogWatchKind } from './watchFor'

/** Makes a watch of an entry: what it looks for, how often that came lately, and the template that it goes into. */
const props = defineProps<{ entry: LogEntry | LogGroup; device?: DevicePage }>()
const emit = defineEmits<{ close: [] }>()
const kind = ref<LogWatchKind>('log-match')
const values = ref<Values>(allValues('log-match', valuesFor(props.entry)))
function use(chosen: string): void {
  kind.value = chosen as LogWatchKind
  values.value = allValues(kind.value, values.value)
}
const asked = computed(() => {
  const query = new URLSearchParams()
  for (const name of ['channel', 'source', 'level', 'text'])
    if (values.value[name]) query.set(name, String(values.value[name]).slice(0, 200))
  if (values.value.id !== null) query.set('id', String(values.value.id))
  return query.toString()
})
const query = refDebounced(asked, 200)
const found = useResource(() => api.get<LogMatches>(`/log/matches?${query.value}`), { sources: [query] })

const { into, templates, chosen } = useIntoTemplate()
/** The device that it was seen on, where it was one. */
const on = computed(() => {
  if (props.device) return props.device
  return 'deviceId' in props.entry
    ? { id: props.entry.deviceId, name: props.entry.deviceName, clientName: props.entry.clientName }
    : null
})
const own = computed(() => on.value && templates.value.find(({ name }) => name === logTemplateOf(on.value!)))
const steps = computed((): PolicyStep[] | null => {
  if (into.value === '0' && on.value) return watchOn(on.value, kind.value, values.value, props.entry)
  if (!chosen.value) return null
  return watchIn(chosen.value, kind.value, values.value, props.entry, on.value?.name ?? '')
})
</script>

<template>
  <ChangeDialog
    title="Watch for such entries"
    :steps="steps"
    verb="Watch for it on"
    said="It is watched for."
    impact-title="If you save this"
    @close="emit('close')"
  >
    <template #form>
      <p class="sentence">Tell somebody
        <ChoiceField :model-value="kind" label="What is told" @update:model-value="use(String($event))">
          <option v-for="(words, name) in kindWords" :key="name" :value="name">{{ words }}</option>
        </ChoiceField>:</p>
      <SentenceEditor :kind="kind" :values="values" @change="values = $event" />
      <section>
        <h2>How often it came</h2>
        <StateNotice :error="found.error.value" :loading="!found.data.value" @again="found.refresh" />
        <MatchedDays v-if="found.data.value" :found="found.data.value" />
        <p class="faint">Single entries of the last {{ matchedDays }} days, on all devices that you see. What the template would have told, count, time and windows included, its rehearsal shows.</p>
      </section>
      <IntoTemplate
        v-model="into"
        :templates="templates"
        :alone="on && !own ? on.name : ''"
        otherwise="Copy the address of this search to show it to one."
      />
    </template>
  </ChangeDialog>
</template>

<style scoped>
h2 {
  margin: 4px 0;
}
</style>
