import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname } from 'node:path'

/** Which groups may ping without a capability, first and last of them (icmp(7)); nobody, as the kernel has it: 1 0. */
const kernelFile = '/proc/sys/net/ipv4/ping_group_range'
export type GroupRange = readonly [first: number, last: number]
const nobody: GroupRange = [1, 0]

export function readRange(text: string): GroupRange | null {
  const found = /^\s*(\d+)\s+(\d+)\s*$/.exec(text)
  return found ? [Number(found[1]), Number(found[2])] : null
}

/**
 * What the range has to become so that a group may ping; null: it may already, or somebody has set another range, which
 * is theirs.
 */
export function rangeWith(range: GroupRange | null, group: number): GroupRange | null {
  if (!range) return null
  const [first, last] = range
  return first > last ? [group, group] : null
}

const isWithin = (range: GroupRange | null, group: number) => range !== null && range[0] <= group && group <= range[1]
const now = () => (existsSync(kernelFile) ? readRange(readFileSync(kernelFile, 'utf8')) : null)

function set([first, last]: GroupRange): boolean {
  try {
    writeFileSync(kernelFile, `${first} ${last}`)
    return true
  } catch {
    // A container whose kernel is another's.
    return false
  }
}

/** Lets a group ping, and no other: nobody loses what they had. @param file of sysctl.d(5) */
export function letPing(file: string, group: number, looksOnly: boolean, say: (text: string) => void): void {
  if (looksOnly) return rmSync(file, { force: true })
  const range = now()
  if (isWithin(range, group)) return
  const wanted = rangeWith(range, group)
  if (!wanted) return say('It may not ping here: net.ipv4.ping_group_range is set to other groups, and stays so.')
  mkdirSync(dirname(file), { recursive: true })
  writeFileSync(
    file,
    `# The agent pings other devices where a watch asks for it: its group may, and no other.\nnet.ipv4.ping_group_range = ${wanted.join(' ')}\n`,
    { mode: 0o644 },
  )
  say(set(wanted) ? `Its group may ping: ${file}` : `Its group may ping from the next start of this system on: ${file}`)
}

/** As it was before. */
export function endPing(file: string): void {
  if (!existsSync(file)) return
  const own = /ping_group_range = (\d+ \d+)/.exec(readFileSync(file, 'utf8'))?.[1]
  rmSync(file)
  const range = now()
  if (own && range && `${range[0]} ${range[1]}` === own) set(nobody)
}
