import type { BoardDevice, BoardOrder } from '#contract'
import type { TableColumn } from '../../parts/ui/table'

export interface BoardColumn extends TableColumn {
  key: BoardOrder
  /** What is sorted by it, in words. */
  sorted: string
}

/** All that the board compares, in order; which of them are shown is the reader's choice. */
export const boardColumns: readonly BoardColumn[] = [
  { key: 'name', title: 'Device', width: 190, grow: 2, sortable: true, sorted: 'name' },
  { key: 'client', title: 'Client and site', width: 160, grow: 2, sortable: true, sorted: 'client and site' },
  { key: 'role', title: 'Role', width: 96, grow: 1, sortable: true, sorted: 'role' },
  { key: 'system', title: 'System', width: 104, grow: 1, sortable: true, sorted: 'system' },
  { key: 'disks', title: 'Disks', width: 178, sortable: true, sorted: 'fullest disk' },
  { key: 'services', title: 'Services', width: 132, grow: 1, sortable: true, sorted: 'services not as they should be' },
  { key: 'updates', title: 'Security', width: 84, sortable: true, sorted: 'security updates' },
  { key: 'oldest', title: 'Oldest', width: 62, sortable: true, sorted: 'oldest update' },
  { key: 'log', title: 'Log, last day', width: 106, sortable: true, sorted: 'log entries of a day' },
  { key: 'heard', title: 'Heard', width: 86, align: 'right', sortable: true, sorted: 'last heard' },
]

/**
 * Whether a device answers what stands in the address of a request, as the server decides it: what was read already can
 * be narrowed while the server is asked.
 */
export function answersBoard(query: string, device: BoardDevice): boolean {
  const asked = new URLSearchParams(query)
  const isOf = (name: string, value: string | number) => !asked.has(name) || asked.get(name) === String(value)
  const role = asked.get('role')
  const text = [device.name, device.clientName, device.siteName, device.osName, ...device.roles, ...device.tags]
  const states: Record<string, boolean> = {
    needs: device.worst !== null || device.silent,
    held: device.held > 0,
    silent: device.silent,
  }
  return (
    isOf('client', device.clientId) &&
    isOf('kind', device.kind) &&
    (role === null || device.roles.includes(role)) &&
    (states[asked.get('state') ?? ''] ?? true) &&
    text
      .join(' ')
      .toLowerCase()
      .includes((asked.get('words') ?? '').trim().toLowerCase())
  )
}
