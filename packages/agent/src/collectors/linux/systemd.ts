import { uptime } from 'node:os'
import { minute, second, type Facts, type Millis, type Service } from '#core'
import { command } from '../command'
import { Starts } from '../starts'
import {
  accountOf,
  brokenTrigger,
  comesAndGoes,
  isIdle,
  neededBy,
  properties,
  restartsOf,
  sinceMonotonic,
  startedAt,
  startOf,
  stateOf,
  wantedBy,
  type Around,
  type Unit,
} from './systemdUnit'
import { unitFilesIn, unitFolders } from './unitFiles'

/** Of what a unit says of itself: `systemctl show` of several units is blocks of NAME=VALUE, a blank line between. */
function unitsIn(output: string): Unit[] {
  return output
    .split(/\n\n+/)
    .map((block): Unit =>
      Object.fromEntries(
        block
          .split('\n')
          .filter((line) => line.includes('='))
          .map((line) => [line.slice(0, line.indexOf('=')), line.slice(line.indexOf('=') + 1)]),
      ),
    )
    .filter((unit) => unit.Id?.endsWith('.service') && unit.LoadState !== 'not-found')
}

/** @param since when it came into its state, in milliseconds since 1970 */
function serviceOf(unit: Unit, around: Around, since: Millis | null): Service {
  const name = unit.Id!.slice(0, -'.service'.length)
  const [needed, broken] = [neededBy(unit), brokenTrigger(unit, around)]
  return {
    name,
    title: unit.Description === unit.Id ? '' : (unit.Description ?? ''),
    start: startOf(unit, around),
    state: stateOf(unit),
    account: accountOf(unit),
    ...(since === null ? {} : { since }),
    ...(needed.length ? { neededBy: needed } : {}),
    ...(broken === undefined ? {} : { brokenTrigger: broken }),
  }
}

const byName = (a: Service, b: Service) => (a.name < b.name ? -1 : 1)

/** The output of `systemctl show` for several units (systemctl(1)). Each service once, whatever names it has. */
export function parseSystemctlShow(output: string, around: Around): Service[] {
  const found = new Map(unitsIn(output).map((unit) => [unit.Id, serviceOf(unit, around, null)]))
  return [...found.values()].sort(byName)
}

/**
 * Names and states of the lines of `systemctl list-units`, with what marks a unit in trouble left out. Templates are no
 * units themselves.
 */
export function parseUnits(output: string): Map<string, string> {
  return new Map(
    output.split('\n').flatMap((line): [string, string][] => {
      const [name = '', , active = ''] = line
        .replace(/^[\s●○*×x↻]+\s/, '')
        .trim()
        .split(/\s+/)
      return name.includes('.') && !name.includes('@.') ? [[name, active]] : []
    }),
  )
}

/** So many names fit well into one command line. */
const atOnce = 400

async function show(names: readonly string[], wanted: readonly string[]): Promise<string> {
  let output = ''
  for (let i = 0; i < names.length; i += atOnce)
    output += `${await command('systemctl', ['show', '--no-pager', `--property=${wanted.join(',')}`, '--', ...names.slice(i, i + atOnce)])}\n\n`
  return output
}

const listed = ['service', 'socket', 'path', 'timer', 'target']
/** ActiveState of every loaded unit that is a service, or may start one. */
const listUnits = async () =>
  parseUnits(
    await command('systemctl', [
      'list-units',
      `--type=${listed.join(',')}`,
      '--all',
      '--no-legend',
      '--plain',
      '--no-pager',
      '--full',
    ]),
  )

/** Which of these units wait for their turn: the output of `systemctl show` names the job. */
async function queuedOf(names: readonly string[]): Promise<Set<string>> {
  const output = names.length ? await show(names, ['Id', 'Job']) : ''
  return new Set(
    output.split(/\n\n+/).flatMap((block) => {
      const id = /^Id=(.*)$/m.exec(block)?.[1]
      return id && Number(/^Job=(\d+)$/m.exec(block)?.[1]) > 0 ? [id] : []
    }),
  )
}

/** Clocks run unevenly: by less than this the device's own was not set. */
const uneven: Millis = 30 * second

/**
 * What times of the monotonic clock are for everybody. A time stays what it was first worked out to be, and moves only
 * when the device's clock is set: nothing has happened to the service then. The monotonic clock of Linux stands still
 * while the machine sleeps (clock_gettime(2)), so what began before a sleep, and is first seen after it, seems to have
 * begun later.
 */
export class Times {
  readonly #known = new Map<string, { monotonic: number; at: Millis }>()
  /** When the machine was started, by the device's own clock. */
  #booted: Millis | null = null

  /**
   * To be told at each look.
   * @param up how long the machine has been up, its sleep included
   */
  look(now: Millis, up: Millis): void {
    const booted = now - up
    const set = this.#booted === null ? 0 : Math.round((booted - this.#booted) / second) * second
    if (this.#booted !== null && Math.abs(set) < uneven) return
    this.#booted = booted
    for (const [name, known] of this.#known) this.#known.set(name, { ...known, at: known.at + set })
  }

  /**
   * @param monotonic in microseconds
   * @param ago how long that is ago
   */
  of(name: string, monotonic: number, now: Millis, ago: Millis): Millis {
    const known = this.#known.get(name)
    if (known?.monotonic === monotonic) return known.at
    const at = Math.round((now - ago) / second) * second
    this.#known.set(name, { monotonic, at })
    return at
  }

  keepOnly(names: ReadonlySet<string>): void {
    for (const name of this.#known.keys()) if (!names.has(name)) this.#known.delete(name)
  }
}

/** How often a service was started, by what systemd says of it. */
interface SystemdRun {
  /** By systemd itself, since somebody started it. */
  restarts: number
  /** When its program was started last, by the monotonic clock. */
  at: number
  comesAndGoes: boolean
}

/**
 * By the system's own count, and once where somebody else did. Of what comes and goes only what systemd had to start
 * anew counts.
 */
export function startsBetween(before: SystemdRun, now: SystemdRun): number {
  const anew = now.restarts < before.restarts ? now.restarts : now.restarts - before.restarts
  return Math.max(anew, now.at !== before.at && now.at > 0 && !now.comesAndGoes ? 1 : 0)
}

const startsSeen = (units: readonly Unit[]): Map<string, SystemdRun> =>
  new Map(
    units.map((unit) => [
      unit.Id!.slice(0, -'.service'.length),
      { restarts: restartsOf(unit), at: startedAt(unit), comesAndGoes: comesAndGoes(unit) },
    ]),
  )

/** What is told of services that are not loaded is asked anew after so long, whatever the folders say. */
const restAtMost: Millis = 15 * minute

/**
 * Every service that systemd knows of or has a file for: those that were stopped in order, and never started, too,
 * which systemd forgets and `show` with a pattern leaves out. To tell of one that is not loaded, systemd reads its file
 * and forgets it again; so that is done once, and again when something changed in the folders of units.
 */
export class SystemdServices {
  #folders: string[] | null = null
  #stamp = ''
  #since = -Infinity
  /** What was told of those that were not loaded, by the names of their files. */
  readonly #told = new Map<string, Service>()
  readonly #times = new Times()
  readonly #starts = new Starts<SystemdRun>(startsBetween)

  /** @param now by a clock that is never set */
  async collect(now: Millis): Promise<Pick<Facts, 'services' | 'starts'>> {
    this.#folders ??= await unitFolders()
    const { names: files, stamp } = unitFilesIn(this.#folders)
    if (stamp !== this.#stamp || now - this.#since > restAtMost) {
      this.#told.clear()
      this.#stamp = stamp
      this.#since = now
    }
    const units = await listUnits()
    const loaded = [...units.keys()].filter((name) => name.endsWith('.service'))
    const isLoaded = new Set(loaded)
    // What they come to is to be asked when they are not loaded any more.
    for (const name of loaded) this.#told.delete(name)
    const unknown = files.filter((name) => !isLoaded.has(name) && !this.#told.has(name))
    const resting = unitsIn(await show(unknown, properties))
    const living = unitsIn(await show(loaded, properties))
    const around = await this.#around(units, [...resting, ...living])
    this.#times.look(Date.now(), uptime() * second)
    const found = new Map<string, Service>()
    for (const unit of resting) {
      const service = this.#serviceOf(unit, around)
      found.set(service.name, service)
      const file = unit.Id!
      // One that was started just now, or is another name of a loaded one, does not stay as it is.
      if (!isLoaded.has(file) && service.state !== 'running' && service.state !== 'starting')
        this.#told.set(file, service)
    }
    for (const service of this.#told.values()) found.set(service.name, service)
    for (const unit of living) {
      const service = this.#serviceOf(unit, around)
      found.set(service.name, service)
    }
    if (!found.size) throw new Error('systemctl names no service: there is always one')
    this.#times.keepOnly(new Set(found.keys()))
    return { services: [...found.values()].sort(byName), starts: this.#starts.next(startsSeen(living), now) }
  }

  #serviceOf(unit: Unit, around: Around): Service {
    const monotonic = sinceMonotonic(unit)
    if (monotonic === null) return serviceOf(unit, around, null)
    const name = unit.Id!.slice(0, -'.service'.length)
    const ago = (Number(process.hrtime.bigint() / 1000n) - monotonic) / 1000
    return serviceOf(unit, around, this.#times.of(name, monotonic, Date.now(), ago))
  }

  async #around(units: ReadonlyMap<string, string>, all: readonly Unit[]): Promise<Around> {
    const activeOf = (name: string) => units.get(name) ?? 'inactive'
    const wanting = new Set(all.filter(isIdle).flatMap(wantedBy))
    const queued = await queuedOf([...wanting].filter((name) => activeOf(name) === 'inactive'))
    return { activeOf, isQueued: (name) => queued.has(name) }
  }
}
