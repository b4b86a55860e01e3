<script setup lang="ts" generic="Row extends object">
import { ElTable, ElTableColumn } from 'element-plus/es/components/table/index'
import 'element-plus/es/components/table/style/css'
import 'element-plus/es/components/table-column/style/css'
import { computed, onMounted, ref, useTemplateRef, watch } from 'vue'
import { useAddressed } from '../data/addressed'
import NearEnd from './NearEnd.vue'
import type { ShortColumn } from './table'

/**
 * A list that is as high as its rows, which may have several lines: what is beyond the first hundred comes as one goes
 * down. A list that a server holds the rest of is a DataTable. A column is written in the slot of its key, or in `cell`; its
 * title may be in `head`.
 */
const props = withDefaults(
  defineProps<{
    label: string
    rows: readonly Row[]
    columns: readonly ShortColumn<Row>[]
    rowKey: (keyof Row & string) | ((row: Row) => string)
    rowClass?: (row: Row) => string
    /** Of the row that is chosen, in a list to choose from. */
    current?: string | number | null
    /** The name in the address of what it is sorted by; without, it stands as given. */
    sortName?: string
    /** Wider than the page: it scrolls sideways, under its first column. */
    wide?: boolean
    /** Columns as wide as they say, so that several lists below each other agree. */
    even?: boolean
  }>(),
  { rowClass: () => '', current: undefined, sortName: '' },
)
const emit = defineEmits<{ pick: [row: Row] }>()
defineSlots<Record<string, (scope: { row: Row; column: string }) => unknown> & { head?: (scope: { column: string }) => unknown }>()

const atOnce = 100
const most = ref(atOnce)
const order = props.sortName ? useAddressed(props.sortName) : ref('')
const reversed = computed(() => order.value.startsWith('-'))
const sorted = computed(() => {
  const by = props.columns.find(({ key }) => key === order.value.replace('-', ''))?.sortBy
  if (!by) return props.rows
  const collator = new Intl.Collator('en', { numeric: true })
  const compared = (a: Row, b: Row) => {
    const [x, y] = [by(a), by(b)]
    return typeof x === 'number' && typeof y === 'number' ? x - y : collator.compare(String(x), String(y))
  }
  return props.rows.toSorted((a, b) => (reversed.value ? compared(b, a) : compared(a, b)))
})
const shown = computed(() => sorted.value.slice(0, most.value))
const hasHead = computed(() => props.columns.some(({ title }) => title))
const keyOf = (row: Row) => (typeof props.rowKey === 'function' ? props.rowKey(row) : String(row[props.rowKey]))
const isCurrent = (row: Row) => props.current !== undefined && String(props.current) === keyOf(row)
const classOf = ({ row }: { row: Row }) => `${props.rowClass(row)} ${isCurrent(row) ? 'chosen' : ''}`
function sort(key: string): void {
  order.value = order.value === key ? `-${key}` : key
}
const sortMark = (key: string) => {
  if (order.value.replace('-', '') !== key) return ''
  return reversed.value ? ' ↑' : ' ↓'
}
const widthOf = ({ width, grow }: ShortColumn<Row>) => (grow ? { minWidth: width ?? 80 } : width ? { width } : {})
/** What is a table within it carries the name, and not the box around it. */
const host = useTemplateRef<{ $el: HTMLElement }>('host')
function nameTable(): void {
  host.value?.$el.querySelector('.el-table__body')?.setAttribute('aria-label', props.label)
}
onMounted(nameTable)
watch(() => props.label, nameTable)
function picked(row: Row, _column: unknown, event: Event): void {
  if (!(event.target as HTMLElement).closest('a,button,input,label')) emit('pick', row)
}
</script>

<template>
  <ElTable
    ref="host"
    :data="shown as Row[]"
    :row-key="keyOf"
    :show-header="hasHead"
    :row-class-name="classOf"
    :class="['short-table', { wide, pickable: current !== undefined }]"
    :table-layout="even ? 'fixed' : 'auto'"
    @row-click="picked"
  >
    <ElTableColumn
      v-for="(column, i) in columns"
      :key="column.key"
      :align="column.align ?? 'left'"
      :class-name="column.tight ? 'tight' : ''"
      :fixed="wide && i === 0 ? 'left' : false"
      v-bind="widthOf(column)"
    >
      <template #header>
        <button v-if="sortName && column.sortBy" class="sort" :title="column.hint" @click="sort(column.key)">{{ column.title }}{{ sortMark(column.key) }}</button>
        <slot v-else-if="column.title" name="head" :column="column.key"><span :title="column.hint">{{ column.title }}</span></slot>
        <span v-else class="visually-hidden">{{ column.hint ?? 'Actions' }}</span>
      </template>
      <template #default="{ row }">
        <slot :name="column.key" :row="row as Row" :column="column.key">
          <slot name="cell" :row="row as Row" :column="column.key" />
        </slot>
      </template>
    </ElTableColumn>
    <template #empty><span /></template>
  </ElTable>
  <NearEnd v-if="sorted.length > shown.length" :rest="sorted.length - shown.length" @near="most += atOnce" />
</template>
