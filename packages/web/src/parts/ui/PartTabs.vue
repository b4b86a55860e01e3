<script setup lang="ts">
import { ElTabPane, ElTabs } from 'element-plus/es/components/tabs/index'
import 'element-plus/es/components/tabs/style/css'
import 'element-plus/es/components/tab-pane/style/css'

/** The parts of a place, of which one is shown below. */
defineProps<{ label: string; tabs: readonly { name: string; title: string; count?: number | string }[] }>()
const model = defineModel<string>({ required: true })
</script>

<template>
  <ElTabs v-model="model" class="parts" :aria-label="label">
    <ElTabPane v-for="tab in tabs" :key="tab.name" :name="tab.name">
      <template #label>{{ tab.count ? `${tab.title} ${tab.count}` : tab.title }}</template>
    </ElTabPane>
  </ElTabs>
</template>
