<script setup lang="ts" generic="Row extends object">
import { ElTable, ElTableColumn } from 'element-plus/es/components/table/index'
import 'element-plus/es/components/table/style/css'
import 'element-plus/es/components/table-column/style/css'
import type { TableColumn } from './table'

/** A list that is shown whole, as high as it is; a long one is a DataTable. */
defineProps<{ label: string; rows: readonly Row[]; columns: readonly TableColumn[]; rowKey: string }>()
defineSlots<{ cell(scope: { row: Row; column: string }): unknown }>()
</script>

<template>
  <ElTable :data="rows as Row[]" :row-key="rowKey" :aria-label="label" table-layout="auto">
    <ElTableColumn
      v-for="column in columns"
      :key="column.key"
      :label="column.title"
      :align="column.align ?? 'left'"
      v-bind="column.grow ? { minWidth: column.width } : { width: column.width }"
    >
      <template #default="{ row }"><slot name="cell" :row="row as Row" :column="column.key" /></template>
    </ElTableColumn>
  </ElTable>
</template>
