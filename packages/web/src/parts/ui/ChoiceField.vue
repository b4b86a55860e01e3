<script setup lang="ts" generic="Value">
import { ElSelectV2 } from 'element-plus/es/components/select-v2/index'
import 'element-plus/es/components/select-v2/style/css'
import type { OptionType } from 'element-plus/es/components/select-v2/src/select.types'
import { nextTick, useSlots, useTemplateRef } from 'vue'
import { choicesIn, type Choice } from './choice'

/**
 * One of several; searchable when there are more than ten, and of any length. What is offered is given as `choices`, or
 * written inside as HTML's own options and groups. In a sentence it reads as a word of it.
 */
const props = defineProps<{ label: string; choices?: readonly Choice[]; placeholder?: string; disabled?: boolean }>()
const emit = defineEmits<{ change: [value: Value] }>()
defineSlots<{ default?(): unknown }>()
const model = defineModel<Value>({ required: true })
const slots = useSlots()
/** Read anew whenever this is rendered: what is written inside may depend on anything. */
const offered = () => props.choices ?? choicesIn(slots.default?.() ?? [])

function optionsOf(choices: readonly Choice[]): OptionType[] {
  const groups = new Map<string, OptionType[]>()
  for (const { value, text, hint = '', group = '', disabled = false } of choices) {
    const items = groups.get(group) ?? []
    items.push({ value, label: text, hint, disabled })
    groups.set(group, items)
  }
  return [...groups].flatMap(([label, items]) =>
    label ? [{ value: `group ${label}`, label, options: items as never[] }] : items,
  )
}
const text = () => offered().find((choice) => choice.value === model.value)?.text ?? props.placeholder ?? ''
/** As wide as its words, and room for the arrow beside them. */
const width = () => `${Math.min(40, Math.max(4, text().length))}ch`
/**
 * Pixels that the list needs for the longest of its words with what stands beside them, at some 7.4 a letter: said
 * beforehand, nothing has to be laid out to be measured.
 */
const listWidth = () => {
  const longest = Math.max(...offered().map(({ text, hint = '' }) => text.length + (hint ? hint.length + 3 : 0)), 12)
  return Math.min(560, Math.round(longest * 7.4) + 48)
}
const field = useTemplateRef<{ focus(): void; toggleMenu(): void }>('field')
defineExpose({
  /** Shows what there is to choose from, with the focus there. */
  open: () => {
    field.value?.focus()
    field.value?.toggleMenu()
  },
})
async function chosen(value: Value): Promise<void> {
  await nextTick()
  emit('change', value)
}
</script>

<template>
  <ElSelectV2
    ref="field"
    v-model="model as never"
    class="choice-field"
    :style="{ '--words': width() }"
    :options="optionsOf(offered())"
    :aria-label="label"
    :placeholder="text()"
    :disabled="disabled"
    :filterable="offered().length > 10"
    :fit-input-width="listWidth()"
    default-first-option
    :item-height="30"
    :empty-values="[undefined]"
    :offset="4"
    @change="chosen"
  >
    <template #default="{ item }">{{ item.label }}<span v-if="item.hint" class="hint">{{ item.hint }}</span></template>
  </ElSelectV2>
</template>

<style scoped>
.choice-field {
  width: calc(var(--words) + 58px);
  display: inline-block;
  max-width: 100%;
  vertical-align: middle;
}
.sentence .choice-field {
  width: calc(var(--words) + 36px);
}
.hint {
  float: right;
  margin-left: 16px;
  color: var(--ink3);
}
</style>
