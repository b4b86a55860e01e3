import type { ServiceStart, ServiceState } from '#core'

/** Properties of a unit, by the names of org.freedesktop.systemd1(5). */
export type Unit = Partial<Record<string, string>>

/** What is asked of each service: all that its start and its state are worked out from. */
export const properties = [
  'Id',
  'Description',
  'LoadState',
  'ActiveState',
  'SubState',
  'UnitFileState',
  'Type',
  'Restart',
  'User',
  'DynamicUser',
  'TriggeredBy',
  'WantedBy',
  'RequiredBy',
  'BoundBy',
  'RequisiteOf',
  'Result',
  'NRestarts',
  'Job',
  'ConditionResult',
  'ConditionTimestampMonotonic',
  'ExecMainStartTimestampMonotonic',
  'ActiveEnterTimestampMonotonic',
  'InactiveEnterTimestampMonotonic',
  'InactiveExitTimestampMonotonic',
]

/** How the units around a service are: what wants it, what starts it on demand. */
export interface Around {
  /** ActiveState of a unit; `inactive` where it is not loaded. */
  activeOf(unit: string): string
  /** Units that are inactive, but about to be started. */
  isQueued(unit: string): boolean
}

const list = (value: string | undefined): string[] => (value ?? '').split(' ').filter(Boolean)

/** What wants a service when the machine starts, and everything else that does. */
export const wantedBy = (unit: Unit): string[] => [...list(unit.WantedBy), ...list(unit.RequiredBy)]
export const triggersOf = (unit: Unit): string[] => list(unit.TriggeredBy)

const isEnabled = ({ UnitFileState }: Unit) => UnitFileState === 'enabled' || UnitFileState === 'enabled-runtime'
const isDead = ({ ActiveState }: Unit) => ActiveState === 'inactive'
const isAtBoot = (unit: Unit) => isEnabled(unit) || (unit.UnitFileState === 'generated' && wantedBy(unit).length > 0)
/** When its program was started last, in microseconds of the monotonic clock; 0: never. */
export const startedAt = (unit: Unit): number => Number(unit.ExecMainStartTimestampMonotonic ?? 0)
/** How often systemd has started it anew by itself since somebody did. */
export const restartsOf = (unit: Unit): number => Number(unit.NRestarts ?? 0)
const isJob = ({ Type }: Unit): boolean => Type === 'oneshot'
/**
 * It is started whenever something asks for it, and ends by itself: a job, and what is not set to start, or not by that
 * alone.
 */
export const comesAndGoes = (unit: Unit): boolean => isJob(unit) || !isAtBoot(unit) || triggersOf(unit).length > 0
/** It is set to start, and does not run although it has not failed. */
export const isIdle = (unit: Unit): boolean => isEnabled(unit) && isDead(unit)

/**
 * Set to start, and yet well when it is stopped. Either a socket, path or timer that stands ready starts it again, and
 * it may end by itself: with `Restart=always` or `on-success` (systemd.service(5)) it could not have, so somebody has
 * stopped it. Or what wants it is not there on this machine: a printer, a desktop.
 */
function mayRest(unit: Unit, { activeOf, isQueued }: Around): boolean {
  if (!isDead(unit) || unit.Result !== 'success' || unit.WantedBy === undefined) return false
  if (unit.Restart !== 'always' && unit.Restart !== 'on-success')
    if (triggersOf(unit).some((trigger) => activeOf(trigger) === 'active')) return true
  // Those that are not loaded are not told either.
  return wantedBy(unit).every((other) => activeOf(other) === 'inactive' && !isQueued(other))
}

export function startOf(unit: Unit, around: Around): ServiceStart {
  switch (unit.UnitFileState) {
    case 'enabled':
    case 'enabled-runtime':
      return mayRest(unit, around) ? 'on-demand' : 'automatic'
    case 'masked':
    case 'masked-runtime':
      return 'disabled'
    // Made from a SysV script: whether it has a link in a runlevel stands in what wants it.
    case 'generated':
      return wantedBy(unit).length ? 'automatic' : 'manual'
    case 'disabled':
      return triggersOf(unit).length ? 'on-demand' : 'manual'
    // Static, indirect, transient: started by something else.
    default:
      return unit.LoadState === 'masked' ? 'disabled' : 'on-demand'
  }
}

export function stateOf(unit: Unit): ServiceState {
  // A unit file that cannot be read: it runs nothing, and somebody has to mend it.
  if (unit.LoadState === 'error' || unit.LoadState === 'bad-setting') return 'failed'
  switch (unit.ActiveState) {
    case 'active':
    case 'reloading':
      return unit.SubState === 'exited' ? 'finished' : 'running'
    case 'activating':
      // It ended, and systemd waits before it starts it once more.
      if (unit.SubState === 'auto-restart') return 'failed'
      // A job is at work all the time that it starts.
      return unit.Type === 'oneshot' && unit.SubState === 'start' ? 'running' : 'starting'
    case 'failed':
      return 'failed'
    default:
      // It waits for its turn while the machine starts.
      if (unit.ActiveState === 'inactive' && Number(unit.Job) > 0) return 'starting'
      if (unit.ConditionResult === 'no' && Number(unit.ConditionTimestampMonotonic) > 0) return 'skipped'
      if (unit.Type !== 'oneshot' || unit.Result !== 'success') return 'stopped'
      // A job that is to run at the next start of the machine is as it should be; of the others only those that ran
      // have finished.
      return startedAt(unit) > 0 || isAtBoot(unit) ? 'finished' : 'stopped'
  }
}

/** A socket, path or timer that should start it and has failed: nothing starts it any more. */
export function brokenTrigger(unit: Unit, { activeOf }: Around): string | undefined {
  return isDead(unit) ? triggersOf(unit).find((trigger) => activeOf(trigger) === 'failed') : undefined
}

export function accountOf({ User, DynamicUser }: Unit): string {
  return User || (DynamicUser === 'yes' ? 'one of its own' : 'root')
}

/** Services that cannot do without it, by systemd.unit(5): `Requires=`, `BindsTo=` and `Requisite=` from their side. */
export function neededBy(unit: Unit): string[] {
  const names = [...list(unit.RequiredBy), ...list(unit.BoundBy), ...list(unit.RequisiteOf)]
  return [...new Set(names)]
    .filter((name) => name.endsWith('.service'))
    .map((name) => name.slice(0, -'.service'.length))
}

/** Which of its times says since when it is so; of what waits to be started anew none does. */
const enteredBy: Partial<Record<string, string>> = {
  active: 'ActiveEnterTimestampMonotonic',
  reloading: 'ActiveEnterTimestampMonotonic',
  inactive: 'InactiveEnterTimestampMonotonic',
  failed: 'InactiveEnterTimestampMonotonic',
  activating: 'InactiveExitTimestampMonotonic',
}

/**
 * When it came into its state, in microseconds of the monotonic clock; null where nobody knows, and of jobs: they come
 * and go, and each time would be news.
 */
export function sinceMonotonic(unit: Unit): number | null {
  if ((isJob(unit) && unit.ActiveState !== 'failed') || unit.SubState === 'auto-restart') return null
  const at = Number(unit[enteredBy[unit.ActiveState ?? ''] ?? ''] ?? 0)
  return at > 0 ? at : null
}
