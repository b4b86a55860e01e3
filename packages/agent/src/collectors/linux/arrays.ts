import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import type { ArrayState, DriveArray } from '#core'

/** How far it is, by `sync_completed`: sectors done of all, as *1234 / 5678*; null where it says none. */
function progressOf(completed: string): number | null {
  const [done, all] = completed.split('/').map(Number)
  return all && done !== undefined && Number.isFinite(done) ? Math.min(1, Math.max(0, done / all)) : null
}

/** A RAID of the kernel by its files: Linux kernel, Documentation/admin-guide/md.rst. */
function mdState(array: string, action: string, degraded: number): ArrayState {
  if (/^(clear|inactive|broken)$/.test(array)) return 'failed'
  if (degraded > 0) return action === 'recover' ? 'rebuilding' : 'degraded'
  if (action === 'recover' || action === 'reshape') return 'rebuilding'
  return /^(check|repair|resync)$/.test(action) ? 'checking' : 'well'
}

/** RAIDs of the kernel. @param blocks where the kernel tells of block devices, /sys/block */
export function mdArrays(blocks = '/sys/block'): DriveArray[] {
  const names = existsSync(blocks) ? readdirSync(blocks).filter((name) => existsSync(join(blocks, name, 'md'))) : []
  return names.map((name) => {
    const file = (part: string) => {
      const path = join(blocks, name, 'md', part)
      return existsSync(path) ? readFileSync(path, 'utf8').trim() : ''
    }
    try {
      const [action, missing] = [file('sync_action'), Number(file('degraded')) || 0]
      const state = mdState(file('array_state'), action, missing)
      const progress = action === '' || action === 'idle' ? null : progressOf(file('sync_completed'))
      return {
        name,
        level: file('level') || 'array',
        state,
        members: Number(file('raid_disks')) || 0,
        missing,
        // A fact is told when it changes: in steps of a twentieth.
        ...(progress === null ? {} : { progress: Math.floor(progress * 20) / 20 }),
      }
    } catch (error) {
      return { name, level: 'array', state: 'unknown', members: 0, missing: 0, trouble: (error as Error).message }
    }
  })
}

const poolStates: Readonly<Record<string, ArrayState>> = {
  ONLINE: 'well',
  DEGRADED: 'degraded',
  FAULTED: 'failed',
  OFFLINE: 'failed',
  REMOVED: 'failed',
  UNAVAIL: 'failed',
  SUSPENDED: 'failed',
}

/** Pools by `zpool list -H -o name,health` (zpool-list(8)): a tab between the two. */
export function parsePools(output: string): DriveArray[] {
  return output
    .split('\n')
    .filter(Boolean)
    .map((line) => {
      const [name = '', health = ''] = line.split('\t')
      return { name, level: 'zpool', state: poolStates[health.trim()] ?? 'unknown', members: 0, missing: 0 }
    })
}
