<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { ElSelectV2 } from 'element-plus/es/components/select-v2/index'
import 'element-plus/es/components/select-v2/style/css'
import { computed } from 'vue'
import type { WindowPosts } from '#contract'
import { countText, familyWords, numberText, subjects, type Subject, type WindowSubject } from '#core'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

/** What of the devices is held back: all, some families with the posts that each has, watches by name, single posts. */
const props = defineProps<{ subject: WindowSubject; posts: WindowPosts | null }>()
const emit = defineEmits<{ change: [subject: WindowSubject] }>()
const of = computed({
  get: () => props.subject.of,
  set: (value: WindowSubject['of']) => {
    if (value === 'all') emit('change', { of: 'all' })
    if (value === 'families') emit('change', { of: 'families', families: ['service'] })
    if (value === 'watches') emit('change', { of: 'watches', watches: [] })
  },
})
const counts = computed(() => new Map((props.posts?.families ?? []).map(({ family, posts }) => [family, posts])))
const chosen = computed(() => new Set(props.subject.of === 'families' ? props.subject.families : []))
function toggle(family: Subject): void {
  const next = subjects.filter((each) => (each === family ? !chosen.value.has(each) : chosen.value.has(each)))
  if (next.length) emit('change', { of: 'families', families: next })
}
/** Those of the devices in reach; one that was chosen before stays, though none of them has it. */
const names = computed(() => {
  const known = props.posts?.watches ?? []
  const rest = watches.value.filter((key) => !known.some(({ watch }) => watch === key))
  return [
    ...known.map(({ watch, watchName, posts }) => ({ value: watch, label: `${watchName} · ${numberText(posts)}` })),
    ...rest.map((value) => ({ value, label: value })),
  ]
})
const watches = computed({
  get: () => (props.subject.of === 'watches' ? [...props.subject.watches] : []),
  set: (value: string[]) => {
    emit('change', { of: 'watches', watches: value })
  },
})
</script>

<template>
  <ChoiceField v-model="of" label="What">
    <option value="all">everything</option>
    <option value="families">whole families</option>
    <option value="watches">watches by name</option>
    <option v-if="subject.of === 'posts'" value="posts">{{ countText(subject.posts.length, 'single post') }}</option>
  </ChoiceField>
  <ElSelectV2
    v-if="subject.of === 'watches'"
    v-model="watches"
    multiple
    filterable
    collapse-tags
    :options="names"
    :item-height="30"
    placeholder="which watches?"
    aria-label="Watches"
    style="width: 320px"
  />
  <span v-if="subject.of === 'families'" class="families">
    <ElCheckbox
      v-for="family in subjects"
      :key="family"
      :model-value="chosen.has(family)"
      :aria-label="familyWords[family]"
      @change="toggle(family)"
    >{{ familyWords[family] }} <span class="faint">{{ counts.has(family) ? numberText(counts.get(family)!) : '…' }}</span></ElCheckbox>
  </span>
</template>

<style scoped>
.families {
  display: flex;
  flex-wrap: wrap;
  gap: 0 16px;
  font: 14px/24px var(--sans);
  padding: 2px 0;
}
.families :deep(.el-checkbox) {
  margin: 0;
  height: 26px;
}
</style>
