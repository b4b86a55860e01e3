<script setup lang="ts">
import { computed, ref } from 'vue'
import type { LogLevel, PolicyStep, Values } from '#core'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import SentenceEditor from '../../../parts/ui/SentenceEditor.vue'
import ChangeDialog from '../../policy/impact/ChangeDialog.vue'
import { asName, intoTemplate } from '../../policy/impact/ownTemplate'
import { freshKey } from '../../policy/impact/draft'
import { useIntoTemplate } from './intoTemplate'

/** Which entries of a log agents send, as a line of a template, with how many a day that is. */
const props = defineProps<{ channel: string; level: LogLevel }>()
const emit = defineEmits<{ close: [] }>()
const values = ref<Values>({ channel: props.channel, level: props.level })
const { into, templates, chosen } = useIntoTemplate()
const steps = computed((): PolicyStep[] | null => {
  const template = chosen.value
  if (!template) return null
  const kept = template.watches.filter(({ kind }) => kind === 'log-kept')
  const same = kept.find((watch) => watch.values.channel === values.value.channel)
  const spec = {
    key: same?.key ?? freshKey('log-kept', template.watches.map(({ key }) => key)),
    kind: 'log-kept',
    name: asName(`What is kept of ${String(values.value.channel) || 'logs'}`),
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
