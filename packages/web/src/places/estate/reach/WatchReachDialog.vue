<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { DevicePage } from '#contract'
import { valueText, watchKind, type ParameterValue, type PolicyStep, type Values } from '#core'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import EditorPopover from '../../../parts/ui/EditorPopover.vue'
import ParameterEditor from '../../../parts/ui/ParameterEditor.vue'
import SentenceEditor from '../../../parts/ui/SentenceEditor.vue'
import ChangeDialog from '../../policy/impact/ChangeDialog.vue'
import IntoTemplate from '../../policy/impact/IntoTemplate.vue'
import { useIntoTemplate } from '../../policy/impact/useIntoTemplate'
import { defaultsOf, reachKinds, reachTemplateOf, watchReach } from './watchReach'

/** Makes a watch of what other devices see of this one: its sentence, and the template that it goes into. */
const props = defineProps<{ device: DevicePage }>()
const emit = defineEmits<{ close: [] }>()
const kind = ref(props.device.osFamily === null ? 'reach-page' : 'reach-port')
const values = ref<Values>(defaultsOf(kind.value))
watch(kind, (name) => { values.value = defaultsOf(name) })
/** What the sentence does not say, because it is as usual. */
const unsaid = computed(() => {
  const { parameters, sentence } = watchKind(kind.value)
  const said = new Set(sentence(values.value).flatMap((part) => ('parameter' in part ? [part.parameter] : [])))
  return parameters.filter(({ name }) => !said.has(name) && !['hours', 'todo'].includes(name))
})
const open = ref<{ name: string; element: HTMLElement } | null>(null)
const parameter = computed(() => watchKind(kind.value).parameters.find(({ name }) => name === open.value?.name) ?? null)
function use(value: ParameterValue): void {
  const { name } = open.value!
  open.value = null
  values.value = { ...values.value, [name]: value }
}
const { into, templates, chosen } = useIntoTemplate()
const own = computed(() => templates.value.some(({ name }) => name === reachTemplateOf(props.device)))
const steps = computed((): PolicyStep[] | null => {
  if (!watchKind(kind.value).looks!(values.value)) return null
  if (into.value === '0') return watchReach(props.device, kind.value, values.value, null)
  return chosen.value && watchReach(props.device, kind.value, values.value, chosen.value)
})
</script>

<template>
  <ChangeDialog
    :title="`Look at ${props.device.name}`"
    :steps="steps"
    verb="Look at it on"
    said="Those who look are told within seconds."
    impact-title="If you save this"
    @close="emit('close')"
  >
    <template #form>
      <p class="sentence">Look at
        <ChoiceField v-model="kind" label="What is looked at">
          <option v-for="each in reachKinds" :key="each.name" :value="each.name">{{ each.title }}</option>
        </ChoiceField></p>
      <SentenceEditor :kind="kind" :values="values" @change="values = $event" />
      <p class="unsaid"><span class="muted">As usual:</span>
        <button v-for="each in unsaid" :key="each.name" class="link" type="button" :title="each.explains" @click="open = { name: each.name, element: $event.currentTarget as HTMLElement }">{{ each.label }}: {{ each.name === 'host' && !values.host ? 'its own' : valueText(each, values[each.name] ?? null) }}</button></p>
      <EditorPopover v-if="open && parameter" :key="open.name" :at="open.element">
        <ParameterEditor :parameter="parameter" :value="values[open.name] ?? null" @change="use" @cancel="open = null" />
      </EditorPopover>
      <p class="faint">Each device that looks tells two readings of it with each of its reports: how quickly it answered, and how often it did not.</p>
      <IntoTemplate v-model="into" :templates="templates" :alone="own ? '' : props.device.name" otherwise="Show one this page." />
    </template>
  </ChangeDialog>
</template>

<style scoped>
.unsaid {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
}
</style>
