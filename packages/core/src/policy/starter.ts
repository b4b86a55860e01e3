import { day, gigabyte, hour, minute } from '../units'
import type { WatchSpec } from './template'

export interface StarterTemplate { name: string; description: string; watches: readonly WatchSpec[] }

const any: WatchSpec['osFamilies'] = []
const linux: WatchSpec['osFamilies'] = ['linux']
const windows: WatchSpec['osFamilies'] = ['windows']

/** Templates to start from: small on purpose, because every watch that leads to no action costs attention. */
export const starterTemplates: readonly StarterTemplate[] = [
  {
    name: 'Base server',
    description: 'What any server needs, and nothing that does not lead to an action.',
    watches: [
      { key: 'silence', kind: 'silence', name: 'Silence', why: 'A server that stops reporting may be down.', osFamilies: any, values: { after: 5 * minute, severity: 'critical' } },
      { key: 'disk.space', kind: 'disk-space', name: 'Free disk space', why: 'Percentage alone cries wolf on large disks, so both must be true.', osFamilies: any,
        values: { except: ['/boot*', '/snap/*'], 'warning.percent': 0.1, 'warning.bytes': 20 * gigabyte, 'critical.percent': 0.05, 'critical.bytes': 10 * gigabyte, hold: 15 * minute, 'clear.percent': 0.12, 'clear.bytes': 24 * gigabyte } },
      { key: 'services', kind: 'service-state', name: 'Services', why: 'Starts that happen on demand or late do not count as stopped.', osFamilies: any,
        values: { except: ['*updater*', '*edgeupdate*'], severity: 'critical', hold: minute, 'clear.hold': minute } },
      { key: 'updates', kind: 'updates', name: 'Updates', why: 'A security update that waits for a week is a decision nobody took.', osFamilies: any,
        values: { security: 'critical', 'security.after': 7 * day, other: 'notice', 'other.after': 30 * day } },
      { key: 'cpu', kind: 'cpu-busy', name: 'CPU', why: 'A quarter of an hour at the limit is felt by users.', osFamilies: any, values: {} },
      { key: 'memory', kind: 'memory-available', name: 'Memory', why: 'Little left means swapping next.', osFamilies: any, values: {} },
      { key: 'paging', kind: 'paging', name: 'Swapping', why: 'A machine that swaps is slow at once.', osFamilies: any, values: {} },
      { key: 'load', kind: 'load', name: 'Load', why: 'More work than cores, for long.', osFamilies: linux, values: {} },
      { key: 'log.disk-errors', kind: 'log-match', name: 'Disk errors in the log', why: 'The driver complains before the disk fails.', osFamilies: windows,
        values: { channel: 'System', source: 'disk', level: 'error', count: 3, within: 10 * minute, severity: 'warning', quiet: 6 * hour } },
      { key: 'log.kernel', kind: 'log-match', name: 'Kernel errors in the log', why: 'I/O errors and killed processes show here first.', osFamilies: linux,
        values: { source: 'kernel', level: 'error', count: 3, within: 10 * minute, severity: 'warning', quiet: 6 * hour } },
    ],
  },
  {
    name: 'Base workstation',
    description: 'Workstations are switched off at night; only what a technician would act on.',
    watches: [
      { key: 'disk.space', kind: 'disk-space', name: 'Free disk space', why: 'A full system disk stops updates first.', osFamilies: any,
        values: { 'warning.percent': 0.08, 'warning.bytes': 10 * gigabyte, 'critical.percent': 0.03, 'critical.bytes': 4 * gigabyte, hold: 30 * minute, 'clear.percent': 0.1, 'clear.bytes': 14 * gigabyte } },
      { key: 'updates', kind: 'updates', name: 'Updates', why: 'Two weeks leave room for a holiday.', osFamilies: any,
        values: { security: 'warning', 'security.after': 14 * day, other: 'nothing' } },
    ],
  },
  {
    name: 'Web server',
    description: 'The service that answers, and the room its logs need.',
    watches: [
      { key: 'services.web', kind: 'service-state', name: 'Web service', why: 'Nobody is served without it, whatever its start is set to.', osFamilies: any,
        values: { which: 'named', names: ['nginx', 'apache2', 'W3SVC'], expected: 'running', severity: 'critical', hold: minute, 'clear.hold': minute } },
    ],
  },
  {
    name: 'Database server',
    description: 'Databases stop hard when their disk is full, so it is said earlier.',
    watches: [
      { key: 'disk.space', kind: 'disk-space', name: 'Free disk space', why: 'A database needs room to recover in.', osFamilies: any,
        values: { 'warning.percent': 0.2, 'warning.bytes': 50 * gigabyte, 'clear.percent': 0.22, 'clear.bytes': 60 * gigabyte } },
      { key: 'services.database', kind: 'service-state', name: 'Database service', why: 'Everything else waits for it.', osFamilies: any,
        values: { which: 'named', names: ['postgresql*', 'mariadb*', 'MSSQL*'], expected: 'running', severity: 'critical', hold: minute, 'clear.hold': minute } },
    ],
  },
  {
    name: 'Backup host',
    description: 'The nightly run has to say that it went well.',
    watches: [
      { key: 'log.backup', kind: 'log-absence', name: 'Nightly backup', why: 'A backup that fails silently is found on the day it is needed.', osFamilies: any,
        values: { source: 'nightly-backup', text: 'completed', period: day + 2 * hour, severity: 'critical' } },
    ],
  },
]
