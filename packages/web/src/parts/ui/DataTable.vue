<script setup lang="ts" generic="Row extends { id: number }">
import { ElAutoResizer, ElTableV2, type TableV2Instance } from 'element-plus/es/components/table-v2/index'
import 'element-plus/es/components/table-v2/style/css'
import { computed, nextTick, ref, useId, useTemplateRef, watch } from 'vue'
import type { TableColumn, TableOrder } from './table'

/**
 * A list of any length: only the rows in sight exist. It fills its parent; one row of it is current, and the arrows,
 * Home, End and the page keys move that. What is below the last row that was read is asked for when it comes near.
 */
const props = withDefaults(
  defineProps<{
    label: string
    rows: readonly Row[]
    columns: readonly TableColumn[]
    /** Of all, where not all were read yet. */
    total?: number
    order?: TableOrder | null
    rowHeight?: number
    /** Rows chosen to do something with several of them; null: nobody is choosing. */
    chosen?: ReadonlySet<number> | null
  }>(),
  { total: -1, order: null, rowHeight: 32, chosen: null },
)
const emit = defineEmits<{
  open: [row: Row]
  choose: [row: Row]
  sort: [order: TableOrder]
  near: []
  see: [from: number, to: number]
}>()
defineSlots<{ cell(scope: { row: Row; column: string }): unknown }>()

const table = useTemplateRef<TableV2Instance>('table')
const current = ref(0)
const name = useId()
const host = useTemplateRef<HTMLElement>('host')
const scrolled = ref(0)
const columns = computed(() =>
  props.columns.map((column) => ({
    key: column.key,
    dataKey: column.key,
    title: column.title,
    width: column.width,
    flexGrow: column.grow ?? 0,
    flexShrink: 1,
    ...(column.align ? { align: column.align } : {}),
  })),
)
watch(
  () => props.rows.length,
  (length) => {
    current.value = Math.max(0, Math.min(current.value, length - 1))
  },
)
/** Rows that a page key moves by. */
let page = 20
function rendered({ rowVisibleStart, rowVisibleEnd }: { rowVisibleStart: number; rowVisibleEnd: number }): void {
  // The grid is this part as a whole; what it is made of says of itself that it is a table, which a grid may not hold.
  host.value?.querySelector('[role=table]')?.setAttribute('role', 'none')
  page = Math.max(1, rowVisibleEnd - rowVisibleStart)
  emit('see', rowVisibleStart, rowVisibleEnd)
  if (rowVisibleEnd >= props.rows.length - 2 * page) emit('near')
}
async function go(to: number): Promise<void> {
  current.value = Math.max(0, Math.min(props.rows.length - 1, to))
  await nextTick()
  table.value?.scrollToRow(current.value)
}
const moves: Record<string, () => number> = {
  ArrowDown: () => current.value + 1,
  ArrowUp: () => current.value - 1,
  PageDown: () => current.value + page,
  PageUp: () => current.value - page,
  Home: () => 0,
  End: () => props.rows.length - 1,
}
function pressed(event: KeyboardEvent): void {
  const row = props.rows[current.value]
  if (event.target !== event.currentTarget || event.ctrlKey || event.metaKey || event.altKey) return
  if (moves[event.key]) void go(moves[event.key]!())
  else if (event.key === 'Enter' && row) emit('open', row)
  else if (event.key === ' ' && row) emit('choose', row)
  else return
  event.preventDefault()
  event.stopPropagation()
}
function sort(key: string): void {
  emit('sort', { key, reversed: props.order?.key === key && !props.order.reversed })
}
const idOf = (row: Row | undefined) => (row ? `${name}-${row.id}` : undefined)
const rowProps = ({ rowData, rowIndex }: { rowData: Row; rowIndex: number }) => ({
  id: idOf(rowData),
  'aria-rowindex': rowIndex + 2,
  'aria-selected': props.chosen ? props.chosen.has(rowData.id) : undefined,
  onClick: (event: MouseEvent) => {
    current.value = rowIndex
    if ((event.target as HTMLElement).closest('a,button,input,label')) return
    if (props.chosen) emit('choose', rowData)
    else emit('open', rowData)
  },
})
const rowClass = ({ rowIndex }: { rowIndex: number }) => (rowIndex === current.value ? 'current' : '')
const ariaSort = (key: string) => {
  if (props.order?.key !== key) return 'none'
  return props.order.reversed ? 'descending' : 'ascending'
}
const headerCellProps = ({ column }: { column: { key?: PropertyKey } }) =>
  props.columns.some(({ key, sortable }) => key === column.key && sortable)
    ? { 'aria-sort': ariaSort(String(column.key)) }
    : {}

defineExpose({
  move: (by: number) => go(current.value + by),
  currentRow: () => props.rows[current.value],
  isScrolled: () => scrolled.value > 0,
  toTop: () => go(0),
})
</script>

<template>
  <div
    ref="host"
    class="data-table"
    role="grid"
    tabindex="0"
    :aria-label="label"
    :aria-rowcount="(total < 0 ? rows.length : total) + 1"
    :aria-activedescendant="idOf(rows[current])"
    :aria-multiselectable="chosen !== null"
    @keydown="pressed"
  >
    <ElAutoResizer>
      <template #default="{ height, width }">
        <ElTableV2
          ref="table"
          :data="rows as Row[]"
          :columns="columns"
          :width="width"
          :height="height"
          :row-height="rowHeight"
          :header-height="31"
          row-key="id"
          :row-props="rowProps as never"
          :row-class="rowClass"
          :header-cell-props="headerCellProps as never"
          :h-scrollbar-size="0"
          @rows-rendered="rendered"
          @scroll="scrolled = $event.scrollTop"
        >
          <template #header-cell="{ column }">
            <button
              v-if="columns.length && props.columns.find(({ key }) => key === column.key)?.sortable"
              class="sort"
              tabindex="-1"
              :class="{ on: order?.key === column.key }"
              @click="sort(String(column.key))"
            >{{ column.title }}<span v-if="order?.key === column.key" aria-hidden="true">{{ order?.reversed ? ' ↑' : ' ↓' }}</span></button>
            <span v-else>{{ column.title }}</span>
          </template>
          <template #cell="{ rowData, column }">
            <span class="cell"><slot name="cell" :row="rowData" :column="String(column.key)" /></span>
          </template>
          <template #empty><span /></template>
        </ElTableV2>
      </template>
    </ElAutoResizer>
  </div>
</template>

<style scoped>
.data-table {
  height: 100%;
  min-height: 0;
}
.data-table:focus-visible {
  outline: none;
}
.sort {
  border: 0;
  background: none;
  padding: 0;
  cursor: pointer;
  color: inherit;
  font: inherit;
  white-space: nowrap;
}
.sort.on {
  color: var(--ink);
  font-weight: 600;
}
.cell {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.data-table :deep(.el-table-v2__row) {
  cursor: pointer;
}
.data-table:focus-visible :deep(.el-table-v2__row.current) {
  outline: 2px solid var(--act);
  outline-offset: -2px;
}
</style>
