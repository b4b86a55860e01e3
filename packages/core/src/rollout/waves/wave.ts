import type { Millis } from '../../units'
import { withinHours } from '../../watch'

/** Why a machine got no agent, in the kinds that a technician acts on. */
export const failureKinds = [
  'no-answer',
  'sign-in-refused',
  'host-key-not-accepted',
  'host-key-changed',
  'unsupported-system',
  'disk-full',
  'no-rights',
  'timed-out',
  'refused-by-the-server',
  'something-else',
] as const
export type FailureKind = (typeof failureKinds)[number]

/** With which status the installation ends, for whoever runs it from elsewhere; with any other it is something else. */
export const installStatus = {
  'unsupported-system': 81,
  'disk-full': 82,
  'no-rights': 83,
  'refused-by-the-server': 84,
} as const satisfies Partial<Record<FailureKind, number>>

/** @param status of the installation's script or program; null: it was ended by a signal */
export function failureOfStatus(status: number | null): FailureKind {
  const found = Object.entries(installStatus).find(([, each]) => each === status)
  return found ? (found[0] as keyof typeof installStatus) : 'something-else'
}

export type MachineState = 'waiting' | 'going' | 'installed' | 'failed'
export interface WaveMachine {
  n: number
  wave: number
  state: MachineState
}
export interface WaveRules {
  wave: number
  waves: number
  /** Share of the machines of a wave that may fail, 0 to 1. */
  mostFailed: number
  atOnce: number
}

export type WaveTurn =
  | { turn: 'go'; machines: number[] }
  | { turn: 'wait' }
  | { turn: 'next wave'; wave: number }
  | { turn: 'pause'; reason: string }
  | { turn: 'done' }

/**
 * What a run of waves does next. A wave begins when the one before is through and at most so many of its machines
 * failed; else the run pauses, and whoever looks decides.
 */
export function nextTurn(machines: readonly WaveMachine[], { wave, waves, mostFailed, atOnce }: WaveRules): WaveTurn {
  const mine = machines.filter((machine) => machine.wave === wave)
  const going = machines.filter((machine) => machine.state === 'going').length
  const waiting = mine
    .filter((machine) => machine.state === 'waiting')
    .map((machine) => machine.n)
    .sort((a, b) => a - b)
  if (waiting.length && going < atOnce) return { turn: 'go', machines: waiting.slice(0, atOnce - going) }
  if (waiting.length || going) return { turn: 'wait' }
  if (wave >= waves) return { turn: 'done' }
  const failed = mine.filter((machine) => machine.state === 'failed').length
  if (failed > mostFailed * mine.length)
    return {
      turn: 'pause',
      reason: `${failed} of ${mine.length} machines of wave ${wave} failed, more than ${Math.round(mostFailed * 100)} %. Look at them; resume when you are sure.`,
    }
  return { turn: 'next wave', wave: wave + 1 }
}

/**
 * Cuts machines into waves: the first ones of the sizes given, the rest in the last.
 * @returns the wave of each, from 1
 */
export function cutIntoWaves(count: number, sizes: readonly number[]): number[] {
  const waves: number[] = []
  let wave = 1
  let left = sizes[0] ?? Infinity
  for (let i = 0; i < count; i++) {
    while (left === 0) left = sizes[wave++] ?? Infinity
    waves.push(wave)
    left--
  }
  return waves
}

const everyDay = [1, 2, 3, 4, 5, 6, 7]

/** Whether a run with these hours goes on at a moment, on the clocks of the zone; over midnight, too. Null: always. */
export function goesAt(from: number | null, until: number | null, at: Millis, zone: string): boolean {
  return from === null || until === null || withinHours({ days: everyDay, from: from * 60, to: until * 60 }, at, zone)
}
