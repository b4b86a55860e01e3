import type { WatchInForce } from './inForce'
import { watchKind } from './kinds'
import type { PostState } from './post'

const marks = new WeakMap<WatchInForce, string>()

/**
 * FNV-1a (draft-eastlake-fnv), 32 bits, as hexadecimal digits: short, and the same everywhere. No protection against
 * anybody.
 */
function fnv1a(text: string): string {
  let hash = 0x811c9dc5
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193)
  return (hash >>> 0).toString(16).padStart(8, '0')
}

/** What the state of a watch's posts is of: its kind, and those of its values that say what is looked at. */
export function markOf(watch: WatchInForce): string {
  let mark = marks.get(watch)
  if (mark === undefined) {
    const { about } = watchKind(watch.kind)
    mark = `${watch.kind}:${fnv1a(JSON.stringify(about.map((name) => watch.values[name] ?? null)))}`
    marks.set(watch, mark)
  }
  return mark
}

/**
 * The state that counts for a watch as it is now. Of another kind of watch: none. Of the same kind with other
 * thresholds or another filter: only that it fails and since when, so that an alert goes on; holds and memories begin
 * anew. State from before states were marked counts as the watch's own.
 */
export function stateFor(watch: WatchInForce, state: PostState | null): PostState | null {
  if (state?.of === undefined || state.of === markOf(watch)) return state
  if (!state.of.startsWith(`${watch.kind}:`)) return null
  const { memo: _forgotten, ...rest } = state
  return { ...rest, runs: {}, clearRun: null }
}
