import { isProcessChosen, type ProcessSeen } from '../processes'
import type { WatchInForce } from './inForce'
import { processAsked } from './kinds'

/** The first watch of a roster that is about a process; null: none is. */
export function processWatching<Watch extends WatchInForce>(
  process: ProcessSeen,
  roster: readonly Watch[],
): Watch | null {
  const isAbout = ({ kind, values, standing }: Watch) => {
    const choice = standing === 'active' ? processAsked(kind, values) : null
    return choice !== null && isProcessChosen(choice, process) === true
  }
  return roster.find(isAbout) ?? null
}
