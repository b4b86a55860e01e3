<script setup lang="ts">
import { computed, ref } from 'vue'
import type { LogLevel, PolicyStep, Values, WatchSpec } from '#core'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import SentenceEditor from '../../../parts/ui/SentenceEditor.vue'
import ChangeDialog from '../../policy/impact/ChangeDialog.vue'
import { asName, intoTemplate, keyFor } from '../../policy/impact/ownTemplate'
import { useIntoTemplate } from '../../policy/impact/useIntoTemplate'

/** Which entries of a log agents send, as a line of a template, with how many a day that is. */
const props = defineProps<{ channel: string; level: LogLevel }>()
const emit = defineEmits<{ close: [] }>()
const values = ref<Values>({ channel: props.channel, level: props.level })
const { into, templates, chosen } = useIntoTemplate()
const steps = computed((): PolicyStep[] | null => {
  const template = chosen.value
  if (!template) return null
  const channel = String(values.value.channel)
  const isOther = ({ kind, values: { channel: other } }: WatchSpec) => kind !== 'log-kept' || other !== channel
  const spec = {
    // Of the same log in several templates the more specific one counts, of different logs each.
    key: keyFor('log-kept', channel || 'any', (key) => template.watches.some((watch) => watch.key === key && isOther(watch))),
    kind: 'log-kept',
    name: asName(`What is kept of ${channel || 'logs'}`),
    why: 'Chosen by how much is written.',
    osFamilies: [],
    values: values.value,
  }
  return intoTemplate(template, spec, spec.name)
})
</script>

<template>
  <ChangeDialog
    title="Choose what is kept"
    :steps="steps"
    verb="Keep it so on"
    said="Agents keep to it from their next report on."
    @close="emit('close')"
  >
    <template #form>
      <SentenceEditor kind="log-kept" :values="values" @change="values = $event" />
      <p class="sentence">Put it into
        <ChoiceField v-model="into" label="Template">
          <option value="">a template…</option>
          <option v-for="template in templates" :key="template.id" :value="String(template.id)">{{ template.name }}</option>
        </ChoiceField></p>
      <p class="faint">What is not kept is not sent, not stored and not counted: nobody can look it up afterwards on this page. On the machine itself it stays as it was.</p>
    </template>
  </ChangeDialog>
</template>
