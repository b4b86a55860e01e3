<script setup lang="ts">
import { ElPopover } from 'element-plus/es/components/popover/index'
import 'element-plus/es/components/popover/style/css'
import { computed, ref } from 'vue'
import { watchKind, type ParameterValue, type Values } from '#core'
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
  <ElPopover
    v-if="open && parameter"
    :key="open.name"
    :visible="true"
    virtual-triggering
    :virtual-ref="open.element"
    :width="330"
    placement="bottom-start"
    :show-arrow="false"
  >
    <ParameterEditor :parameter="parameter" :value="values[open.name] ?? null" @change="use" @cancel="open = null" />
  </ElPopover>
</template>
