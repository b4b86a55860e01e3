import type { BoardOrder } from '#contract'
import type { TableColumn } from '../../parts/ui/table'

export interface BoardColumn extends TableColumn {
  key: BoardOrder
  /** What is sorted by it, in words. */
  sorted: string
}

/** All that the board compares, in order; which of them are shown is the reader's choice. */
export const boardColumns: readonly BoardColumn[] = [
  { key: 'name', title: 'Device', width: 170, grow: 2, sortable: true, sorted: 'name' },
  { key: 'client', title: 'Client and site', width: 160, grow: 2, sortable: true, sorted: 'client and site' },
  { key: 'role', title: 'Role', width: 96, grow: 1, sortable: true, sorted: 'role' },
  { key: 'system', title: 'System', width: 104, grow: 1, sortable: true, sorted: 'system' },
  { key: 'disks', title: 'Disks', width: 178, sortable: true, sorted: 'fullest disk' },
  { key: 'services', title: 'Services', width: 150, grow: 1, sortable: true, sorted: 'services not as they should be' },
  { key: 'updates', title: 'Security', width: 84, sortable: true, sorted: 'security updates' },
  { key: 'oldest', title: 'Oldest', width: 62, sortable: true, sorted: 'oldest update' },
  { key: 'log', title: 'Log, last day', width: 108, sortable: true, sorted: 'log entries of a day' },
  { key: 'heard', title: 'Heard', width: 62, align: 'right', sortable: true, sorted: 'last heard' },
]
