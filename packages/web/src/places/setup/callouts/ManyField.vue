<script setup lang="ts">
import { ElSelectV2 } from 'element-plus/es/components/select-v2/index'
import 'element-plus/es/components/select-v2/style/css'
import { computed } from 'vue'
import type { Choice } from '../../../parts/ui/choice'

/** Several of some, as words of a sentence. */
const props = defineProps<{ label: string; choices: readonly Choice[]; none: string }>()
const model = defineModel<string[]>({ required: true })
const options = computed(() => {
  const groups = new Map<string, { value: unknown; label: string }[]>()
  for (const { value, text, group = '' } of props.choices)
    groups.set(group, [...(groups.get(group) ?? []), { value, label: text }])
  return [...groups].flatMap(([label, items]) =>
    label ? [{ value: `group ${label}`, label, options: items }] : items,
  )
})
const words = computed(
  () =>
    model.value
      .map((key) => props.choices.find(({ value }) => value === key)?.text ?? '…')
      .join(', ') || props.none,
)
const listWidth = computed(() => Math.max(220, Math.round(Math.max(12, ...props.choices.map(({ text }) => text.length)) * 7.4) + 60))
</script>

<template>
  <ElSelectV2
    v-model="model as never"
    class="many"
    multiple
    collapse-tags
    :style="{ '--words': `${Math.min(46, Math.max(4, words.length))}ch` }"
    :options="options as never[]"
    :aria-label="label"
    :placeholder="none"
    :filterable="choices.length > 10"
    :fit-input-width="listWidth"
    :item-height="30"
    :offset="4"
  >
    <template #tag><span class="words">{{ words }}</span></template>
  </ElSelectV2>
</template>

<style scoped>
.many {
  display: inline-block;
  width: calc(var(--words) + 40px);
  max-width: 100%;
  vertical-align: middle;
}
.many :deep(.el-select__selection) {
  margin-left: 0;
}
.many :deep(.el-select__selected-item),
.many :deep(.el-select__input-wrapper) {
  margin-left: 0;
}
.words {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
