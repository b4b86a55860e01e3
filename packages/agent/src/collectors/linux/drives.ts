import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { ageText, day, hour, minute, type Drive, type DriveArray, type Millis } from '#core'
import { rootTimerPlace } from '../../install/rootTimers'
import { drivesFile, drivesTimer, noSmartctl } from '../../install/rootTimers/drives'
import { steady } from '../../clock'
import type { Collect } from '../collector'
import { command, commandEnded } from '../command'
import { mdArrays, parsePools } from './arrays'
import { nameOf, parseDrive, parseScan } from './smart'

/** Block devices that have no drive of their own behind them, or one that the host of a virtual machine answers for. */
const notDrives = /^(loop|ram|zram|dm-|md|nbd|sr|fd|vd|xvd|drbd|rbd|zd|bcache)/

/** Drives by the kernel alone, which knows no more than that they are there. @param blocks as for `mdArrays` */
function drivesOfKernel(trouble: string, blocks = '/sys/block'): Drive[] {
  const names = existsSync(blocks) ? readdirSync(blocks) : []
  return names
    .filter((name) => !notDrives.test(name) && existsSync(join(blocks, name, 'device')))
    .map((name) => {
      const file = join(blocks, name, 'device', 'model')
      const model = existsSync(file) ? readFileSync(file, 'utf8').trim() : ''
      return { name, model, media: 'unknown', passed: null, trouble }
    })
}

/** What a drive said, and how it was asked; an error: it could not be. */
interface Answer {
  name: string
  output: string | Error
}

/** What root's script has written: see `drivesScript`. @returns null: smartctl is not installed */
export function parseTold(text: string): Answer[] | null {
  if (text.trim() === noSmartctl) return null
  return text
    .split('\n')
    .filter(Boolean)
    .map((line) => {
      const [asked = '', output = ''] = line.split('\t')
      const [path = '', ...options] = asked.trim().split(/\s+/)
      const type = options.indexOf('-d') >= 0 ? (options[options.indexOf('-d') + 1] ?? null) : null
      const name = nameOf(path, type)
      return { name, output: output || new Error('it did not answer within a minute') }
    })
}

function uniqueBy<T>(list: readonly T[], key: (element: T) => string): T[] {
  return [...new Map(list.map((element) => [key(element), element])).values()]
}

const patience: Millis = minute

/** The drives, asked by this program itself: for a run as root. @throws Error where smartctl is not installed */
async function ask(): Promise<Answer[]> {
  const { output } = await commandEnded('smartctl', ['--json=c', '--scan'], patience)
  const answers: Answer[] = []
  for (const { path, type } of parseScan(output)) {
    const args = ['--json=c', '-i', '-H', '-A', '-n', 'standby', ...(type === null ? [] : ['-d', type]), path]
    const answer = await commandEnded('smartctl', args, patience).then(
      (ended) => ended.output,
      (error: Error) => error,
    )
    answers.push({ name: nameOf(path, type), output: answer })
  }
  return answers
}

const isMissing = (error: unknown) => /ENOENT/.test((error as Error).message)
const missing = 'smartmontools is not installed'
const notAsked =
  'only root may ask it, and no timer does. Where systemd runs, the line of installation, run once more, brings one'

async function pools(): Promise<DriveArray[]> {
  if (!existsSync('/dev/zfs')) return []
  try {
    return parsePools(await command('zpool', ['list', '-H', '-o', 'name,health'], patience))
  } catch (error) {
    if (isMissing(error)) return []
    throw error
  }
}

/** Health changes over days, and being asked costs a drive a moment. */
const every: Millis = hour
/** What root's script wrote longer ago is not how they are now. */
const oldAfter: Millis = 3 * hour
/** After the agent's start the script has so long to write something. */
const firstWithin: Millis = 15 * minute
/** A drive that is not found any more is told of for so long: it may have died. */
const missedFor: Millis = day

/**
 * How the drives are, and the arrays made of them. Root's script asks them once an hour; an agent that runs as root
 * does so itself.
 * @param file that the script writes
 * @param timer by which it runs, where it is installed
 * @param clock that nobody sets
 */
export function drivesCollector(
  file = drivesFile,
  timer = rootTimerPlace('', drivesTimer).trigger,
  clock: () => Millis = steady,
): Collect {
  const since = clock()
  /** What the script has written, and since when by this clock: a machine that slept has not waited. */
  let written: { at: number; seen: Millis } | null = null
  const known = new Map<string, { drive: Drive; at: Millis }>()
  let own: { at: Millis; answers: Answer[] | null } | null = null

  async function answersNow(): Promise<Answer[] | string | null> {
    if (existsSync(file)) {
      const { mtimeMs: at } = statSync(file)
      if (written?.at !== at) written = { at, seen: clock() }
      const old = clock() - written.seen
      if (old > oldAfter)
        throw new Error(`they were not asked for ${ageText(old)}; see: systemctl status custode-agent-drives.service`)
      return parseTold(readFileSync(file, 'utf8')) ?? missing
    }
    if (existsSync(timer)) {
      // It has not run since the machine started: they are as they were.
      if (clock() - since < firstWithin) return null
      throw new Error('they were not asked yet; see: systemctl status custode-agent-drives.service')
    }
    if (process.getuid?.() !== 0)
      return ['/usr/sbin/smartctl', '/sbin/smartctl'].some((path) => existsSync(path)) ? notAsked : missing
    if (!own || steady() - own.at >= every)
      own = {
        at: steady(),
        answers: await ask().catch((error: unknown) => {
          if (isMissing(error)) return null
          throw error
        }),
      }
    return own.answers ?? missing
  }

  function drivesOf(answers: readonly Answer[]): Drive[] {
    const now = steady()
    // A drive that is found in two ways is one.
    const drives = uniqueBy(answers, ({ name }) => name).map(({ name, output }): Drive => {
      const unknown: Drive = { name, model: '', media: 'unknown', passed: null }
      try {
        if (output instanceof Error) throw output
        // One that sleeps is as it was.
        const drive = parseDrive(name, output)
        return drive ?? known.get(name)?.drive ?? { ...unknown, trouble: 'it sleeps, and was not woken yet' }
      } catch (error) {
        return { ...unknown, trouble: (error as Error).message }
      }
    })
    for (const drive of drives) known.set(drive.name, { drive, at: now })
    for (const [name, { drive, at }] of known) {
      if (at === now) continue
      if (now - at > missedFor) known.delete(name)
      else drives.push({ ...drive, passed: null, trouble: 'it is not found any more' })
    }
    return drives
  }

  return {
    name: 'drives',
    async collect() {
      const answers = await answersNow()
      if (answers === null) return {}
      const drives = typeof answers === 'string' ? drivesOfKernel(answers) : drivesOf(answers)
      return { facts: { drives: { drives, arrays: [...mdArrays(), ...(await pools())] } } }
    },
  }
}
