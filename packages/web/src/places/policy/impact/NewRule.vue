<script setup lang="ts">
import { computed, ref } from 'vue'
import { valueText, watchKind, type ParameterValue, type Values } from '#core'
import EditorPopover from '../../../parts/ui/EditorPopover.vue'
import ParameterEditor from '../../../parts/ui/ParameterEditor.vue'
import SentenceEditor from '../../../parts/ui/SentenceEditor.vue'

/** The sentence of a watch that is being made, and what it does not say because it is as usual. */
const props = defineProps<{
  kind: string
  /** Words for values that say nothing by themselves. */
  words?: Readonly<Record<string, string>>
}>()
const values = defineModel<Values>('values', { required: true })
const unsaid = computed(() => {
  const { parameters, sentence } = watchKind(props.kind)
  const said = new Set(sentence(values.value).flatMap((part) => ('parameter' in part ? [part.parameter] : [])))
  return parameters.filter(({ name }) => !said.has(name) && !['hours', 'todo'].includes(name))
})
const open = ref<{ name: string; element: HTMLElement } | null>(null)
const parameter = computed(() => watchKind(props.kind).parameters.find(({ name }) => name === open.value?.name) ?? null)
function use(value: ParameterValue): void {
  const { name } = open.value!
  open.value = null
  values.value = { ...values.value, [name]: value }
}
const textOf = (each: (typeof unsaid.value)[number]) =>
  (values.value[each.name] ? undefined : props.words?.[each.name]) ?? valueText(each, values.value[each.name] ?? null)
</script>

<template>
  <SentenceEditor :kind="kind" :values="values" @change="values = $event" />
  <p v-if="unsaid.length" class="unsaid"><span class="muted">As usual:</span>
    <button v-for="each in unsaid" :key="each.name" class="link" type="button" :title="each.explains" @click="open = { name: each.name, element: $event.currentTarget as HTMLElement }">{{ each.label }}: {{ textOf(each) }}</button></p>
  <EditorPopover v-if="open && parameter" :key="open.name" :at="open.element">
    <ParameterEditor :parameter="parameter" :value="values[open.name] ?? null" @change="use" @cancel="open = null" />
  </EditorPopover>
</template>

<style scoped>
.unsaid {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
}
</style>
