<script setup lang="ts">
import { computed, ref } from 'vue'
import { watchKind, type ParameterValue, type Values } from '#core'
import EditorPopover from './EditorPopover.vue'
import ParameterEditor from './ParameterEditor.vue'
import RuleSentence from './RuleSentence.vue'

/** The sentence of a watch, whose values are edited in place. */
const props = defineProps<{ kind: string; values: Values }>()
const emit = defineEmits<{ change: [values: Values] }>()
const kind = computed(() => watchKind(props.kind))
const open = ref<{ name: string; element: HTMLElement } | null>(null)
const parameter = computed(() => kind.value.parameters.find(({ name }) => name === open.value?.name) ?? null)
function use(value: ParameterValue): void {
  const { name } = open.value!
  open.value = null
  emit('change', { ...props.values, [name]: value })
}
</script>

<template>
  <RuleSentence :parts="kind.sentence(values)" editable @pick="(name, element) => { open = { name, element } }" />
  <EditorPopover v-if="open && parameter" :key="open.name" :at="open.element">
    <ParameterEditor :parameter="parameter" :value="values[open.name] ?? null" @change="use" @cancel="open = null" />
  </EditorPopover>
</template>
