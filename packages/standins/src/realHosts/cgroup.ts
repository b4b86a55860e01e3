import { existsSync, mkdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'
import { runTool } from './tools'

/**
 * Where the hierarchies that systemd keeps its units in are mounted (cgroups(7)): the unified one, alone or beside the
 * old ones.
 */
function hierarchies(): string[] {
  const own = readFileSync('/proc/self/cgroup', 'utf8')
    .split('\n')
    .map((line) => line.split(':'))
  const pathOf = (wanted: (id: string, controllers: string) => boolean) =>
    own.find(([id, controllers]) => wanted(id ?? '', controllers ?? ''))?.[2]
  const unified = pathOf((id) => id === '0')
  const named = pathOf((_, controllers) => controllers === 'name=systemd')
  return [
    ...(unified === undefined
      ? []
      : [
          existsSync('/sys/fs/cgroup/unified')
            ? join('/sys/fs/cgroup/unified', unified)
            : join('/sys/fs/cgroup', unified),
        ]),
    ...(named === undefined ? [] : [join('/sys/fs/cgroup/systemd', named)]),
  ].filter((folder) => existsSync(join(folder, 'cgroup.procs')))
}

const foldersOf = (name: string) => hierarchies().map((folder) => join(folder, name))

/** Makes control groups of a host's own: in shared ones two hosts would meet in the units of the same name. */
export function makeGroups(name: string): string[] {
  const folders = foldersOf(name)
  for (const folder of folders) mkdirSync(folder, { recursive: true })
  return folders
}

/** Removes them once nothing runs in them, which takes a moment after everything in them was killed. */
export async function removeGroups(name: string): Promise<void> {
  for (const folder of foldersOf(name))
    for (let i = 0; i < 40 && existsSync(folder); i++) {
      await runTool('find', [folder, '-depth', '-type', 'd', '-exec', 'rmdir', '{}', ';'])
      if (existsSync(folder)) await wait(50)
    }
}
