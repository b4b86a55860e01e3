import { basename, extname } from 'node:path'

/** Numbers count backwards, and have fewer digits than a date. */
const shortestDate = 6

/**
 * What a name has more than that of the log: a number or a date after it, or before its ending, as logrotate(8) gives
 * them; `old` is common practice. Null: it is not of this log.
 */
export function generationOf(log: string, name: string): string | null {
  const ending = extname(log)
  const stem = log.slice(0, log.length - ending.length)
  for (const [before, after] of [
    [log, ''],
    [stem, ending],
  ] as const) {
    if (!name.startsWith(before) || !name.endsWith(after)) continue
    const more = name.slice(before.length, Math.max(before.length, name.length - after.length))
    if (more === '.old') return '1'
    const digits = more.replace(/\D/g, '')
    // app-1.log is mostly the log of another worker, app-20261201.log is one of a day.
    if (/^[.-]\d[\d.-]*$/.test(more) && (more.startsWith('.') || digits.length >= shortestDate)) return digits
  }
  return null
}

/** Whether a file has a name that a log is rotated to. */
export const isGenerationOf = (log: string, name: string): boolean => generationOf(log, name) !== null

const packed = '.gz'
export const isPacked = (path: string): boolean => path.endsWith(packed)
export const unpacked = (path: string) => (isPacked(path) ? path.slice(0, -packed.length) : path)

interface Dated {
  path: string
  modified: number
}
type Generation<F> = F & { generation: string }

/** Below 0: the first is the older, by its name; by its time, where the names do not say it. */
function byAge(a: Generation<Dated>, b: Generation<Dated>): number {
  const [isDateA, isDateB] = [a, b].map(({ generation }) => generation.length >= shortestDate)
  if (isDateA !== isDateB) return a.modified - b.modified
  if (!isDateA) return Number(b.generation) - Number(a.generation)
  const digits = Math.max(a.generation.length, b.generation.length)
  return a.generation.padEnd(digits, '0') < b.generation.padEnd(digits, '0') ? -1 : 1
}

/** Those of some files that a log was rotated to, packed or not, the oldest first. */
export function generationsOf<F extends Dated>(log: string, files: readonly F[]): F[] {
  const paths = new Set(files.map((file) => file.path))
  return (
    files
      // While one is being packed it is there twice.
      .filter((file) => !(isPacked(file.path) && paths.has(unpacked(file.path))))
      .flatMap((file): Generation<F>[] => {
        const generation = generationOf(basename(log), basename(unpacked(file.path)))
        return generation === null ? [] : [{ ...file, generation }]
      })
      .sort(byAge)
  )
}

/** Whether a file may be one that a log was rotated to, packed or not. */
export const mayBeOf = (log: string, path: string): boolean => isGenerationOf(basename(log), basename(unpacked(path)))
