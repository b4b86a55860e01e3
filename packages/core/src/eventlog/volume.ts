import { logLevelCode, type LogLevel } from './levels'

/** What is written into a log at one level, in a day. */
export interface LogVolume {
  channel: string
  level: LogLevel
  entries: number
  devices: number
  /** Of them, those that some watch looks for. */
  watched: number
}

/** Entries of a log that nobody would miss. */
export interface LogProposal {
  channel: string
  /** Keep this level or more urgent ones. */
  level: LogLevel
  /** Entries a day that are not kept then. */
  saves: number
  /** Of how many. */
  of: number
}

/** RFC 5424 calls a notice *normal but significant*: what is quieter is neither. */
const floor: LogLevel = 'notice'
/** Less is not worth a line of policy (common practice, no source: a few hundred entries are read in minutes). */
const leastSaved = 500
const leastShare = 0.5

/** Logs of which most is quieter than a notice and looked for by no watch; those that save most first. */
export function proposeFloors(volumes: readonly LogVolume[]): LogProposal[] {
  const logs = new Map<string, LogVolume[]>()
  for (const volume of volumes) logs.set(volume.channel, [...(logs.get(volume.channel) ?? []), volume])
  return [...logs]
    .map(([channel, levels]): LogProposal => ({
      channel,
      level: floor,
      of: levels.reduce((sum, { entries }) => sum + entries, 0),
      saves: levels
        .filter(({ level }) => logLevelCode(level) > logLevelCode(floor))
        .reduce((sum, { entries, watched }) => sum + entries - watched, 0),
    }))
    .filter(({ saves, of }) => saves >= leastSaved && saves > leastShare * of)
    .sort((a, b) => b.saves - a.saves)
}
