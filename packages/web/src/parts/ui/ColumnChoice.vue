<script setup lang="ts">
import { ElCheckbox, ElCheckboxGroup } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import 'element-plus/es/components/checkbox-group/style/css'
import { ElPopover } from 'element-plus/es/components/popover/index'
import 'element-plus/es/components/popover/style/css'
import { computed } from 'vue'
import type { TableColumn } from './table'

/** Which columns a table shows, as their keys with commas; empty: all of them. */
const props = defineProps<{ columns: readonly TableColumn[] }>()
const model = defineModel<string>({ required: true })
const all = computed(() => props.columns.map(({ key }) => key))
const shown = computed({
  get: () => (model.value ? model.value.split(',') : all.value),
  set: (keys: string[]) => {
    model.value = keys.length === all.value.length ? '' : all.value.filter((key) => keys.includes(key)).join() || '-'
  },
})
</script>

<template>
  <ElPopover trigger="click" :width="200" placement="bottom-end" :show-arrow="false" :persistent="false">
    <template #reference><button class="link">columns</button></template>
    <ElCheckboxGroup v-model="shown" class="columns" aria-label="Columns">
      <ElCheckbox v-for="column in columns" :key="column.key" :value="column.key" :label="column.title" />
    </ElCheckboxGroup>
  </ElPopover>
</template>

<style scoped>
.columns {
  display: grid;
}
</style>
