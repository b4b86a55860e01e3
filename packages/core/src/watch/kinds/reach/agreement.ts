import { inARowText, probeFaultText, probeTroubleText, type ProbeCheck, type ProbeTold } from '../../../reach'
import { ageText, countText } from '../../../text'
import { minute, type Millis } from '../../../units'
import type { Looks } from '../../kind'

/** What a device says now: what was told, where that still counts. */
export interface Answer {
  from: string
  told: ProbeTold
}

/** What several devices say of one thing, by how many of them have to agree. */
export interface Agreement {
  /** Those that could look, and have lately. */
  answers: readonly Answer[]
  /** Of them, whose failed looks are confirmed. */
  down: readonly Answer[]
  /** So many have to agree: as many as asked for, or all where fewer look. */
  needed: number
  isDown: boolean
  /** Enough of them have confirmed that it is well, whatever the others come to. */
  isUp: boolean
}

export function agreementOf({ by }: Looks, pace: { agree: number; confirm: number; clears: number }): Agreement {
  const answers = by.flatMap(({ from, told, quietSince }): Answer[] =>
    told && told.outcome !== 'trouble' && quietSince === undefined ? [{ from, told }] : [],
  )
  const needed = Math.max(1, Math.min(pace.agree, answers.length))
  const down = answers.filter(({ told }) => told.outcome === 'bad' && told.inARow >= pace.confirm)
  const up = answers.filter(({ told }) => told.outcome === 'good' && told.inARow >= pace.clears)
  return {
    answers,
    down,
    needed,
    isDown: answers.length > 0 && down.length >= needed,
    isUp: answers.length > 0 && answers.length - up.length < needed,
  }
}

const listed = (names: readonly string[]) =>
  names.length < 2 ? names.join('') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)!}`

/** *refuses the connection, 3 times in a row, seen from gate-1*; where they differ, each for itself. */
export function downText({ down, answers }: Agreement, check: ProbeCheck): string {
  const ways = new Map<string, Answer[]>()
  for (const answer of down) {
    const text = probeFaultText(answer.told, check)
    ways.set(text, [...(ways.get(text) ?? []), answer])
  }
  const says = [...ways].map(([text, by]) => {
    const least = Math.min(...by.map(({ told }) => told.inARow))
    return `${text}, ${inARowText(least)}, seen from ${listed(by.map(({ from }) => from))}`
  })
  const others = answers.length - down.length
  return says.join('; ') + (others ? `; not so from ${countText(others, 'other device')}` : '')
}

const noneText: Record<NonNullable<Looks['none']>, string> = {
  nobody: 'no device of its client that has an agent may look: see From',
  'no-address': 'it has no address',
  'not-allowed': 'its address is neither in the networks of the site nor among its named addresses',
  'too-many': 'the devices that may look have too much to look at already',
}

/** Why nobody can say how it is. */
export function troubleText({ by, none }: Looks, at: Millis): string {
  if (none) return noneText[none]
  if (!by.length) return noneText.nobody
  return by
    .map(({ from, told, quietSince }) => {
      if (quietSince !== undefined) return `${from} has told nothing for ${ageText(Math.max(minute, at - quietSince))}`
      return told ? `${from}: ${probeTroubleText(told)}` : `${from} has told nothing yet`
    })
    .join('; ')
}

/** Whether there is one that has not had the time to say anything. */
export const isEarly = ({ by, none }: Looks): boolean =>
  !none && by.some(({ told, quietSince }) => told === null && quietSince === undefined)

/** Since when it fails, by the first that saw it. */
export const downSince = ({ down }: Agreement, at: Millis): Millis =>
  at - Math.max(0, ...down.map(({ told }) => told.lasts))

/** What most of them have as their figure at the least: the one that `needed` of them reach. */
export function reachedBy(figures: readonly number[], needed: number): number | null {
  return [...figures].sort((a, b) => b - a)[needed - 1] ?? null
}
