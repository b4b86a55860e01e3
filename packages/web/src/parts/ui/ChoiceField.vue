<script setup lang="ts" generic="Value extends string | number">
import { ElSelectV2 } from 'element-plus/es/components/select-v2/index'
import type { OptionType } from 'element-plus/es/components/select-v2/src/select.types'
import 'element-plus/es/components/select-v2/style/css'
import { computed } from 'vue'
import type { Choice } from './choice'

/** One of several; searchable when there are more than ten, and of any length. */
const props = defineProps<{
  label: string
  choices: readonly Choice<Value>[]
  /** It reads as a word of a sentence. */
  inline?: boolean
  placeholder?: string
  disabled?: boolean
}>()
const model = defineModel<Value | null>({ required: true })
interface Item {
  value: Value
  label: string
  hint: string
}
const options = computed(() => {
  const groups = new Map<string, Item[]>()
  for (const { value, text, hint = '', group = '' } of props.choices) {
    const items = groups.get(group) ?? []
    items.push({ value, label: text, hint })
    groups.set(group, items)
  }
  return [...groups].flatMap(([label, items]): OptionType[] =>
    label ? [{ value: `group ${label}`, label, options: items }] : items,
  )
})
const shown = computed(
  () => props.choices.find((choice) => choice.value === model.value)?.text ?? props.placeholder ?? '',
)
</script>

<template>
  <ElSelectV2
    v-model="model as never"
    class="choice"
    :class="{ inline }"
    :style="inline ? { width: `calc(${Math.min(44, Math.max(3, shown.length))}ch + 22px)` } : {}"
    :options="options"
    :aria-label="label"
    :placeholder="placeholder ?? ''"
    :disabled="disabled"
    :filterable="choices.length > 10"
    :fit-input-width="false"
    :item-height="30"
    :teleported="true"
    :empty-values="[null, undefined]"
    :show-arrow="false"
    :offset="4"
  >
    <template #default="{ item }">{{ item.label }}<span v-if="item.hint" class="hint">{{ item.hint }}</span></template>
  </ElSelectV2>
</template>

<style scoped>
.choice {
  width: 100%;
}
.hint {
  float: right;
  margin-left: 16px;
  color: var(--ink3);
}
.inline {
  display: inline-block;
  vertical-align: baseline;
}
.inline :deep(.el-select__wrapper) {
  min-height: 24px;
  padding: 0 2px;
  background: none;
  box-shadow: none;
  border-radius: 0;
  border-bottom: 1.5px dotted var(--ink3);
  font: 600 16px/22px var(--serif);
}
.inline :deep(.el-select__placeholder) {
  color: var(--ink);
}
.inline :deep(.el-select__suffix) {
  width: 14px;
}
</style>
