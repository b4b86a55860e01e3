<script setup lang="ts">
import { ElTabPane, ElTabs } from 'element-plus/es/components/tabs/index'
import 'element-plus/es/components/tabs/style/css'
import 'element-plus/es/components/tab-pane/style/css'
import { useKeys } from '../shell/keys'

/** The parts of a place, of which one is shown below. */
const props = defineProps<{ label: string; tabs: readonly { name: string; title: string; count?: number | string }[] }>()
const model = defineModel<string>({ required: true })
function step(by: number): void {
  const at = props.tabs.findIndex((tab) => tab.name === model.value)
  model.value = props.tabs[(at + by + props.tabs.length) % props.tabs.length]!.name
}
useKeys(props.label, [
  { key: ']', does: 'next part', run: () => step(1) },
  { key: '[', does: 'previous part', run: () => step(-1) },
])
</script>

<template>
  <ElTabs v-model="model" class="parts" :aria-label="label">
    <ElTabPane v-for="tab in tabs" :key="tab.name" :name="tab.name">
      <template #label>{{ tab.count ? `${tab.title} ${tab.count}` : tab.title }}</template>
    </ElTabPane>
  </ElTabs>
</template>
