import type { Facts } from '../estate'
import { postKey, splitPostKey, tryChoice, watchKind, withoutNamed, type WatchInForce } from '../watch'

/**
 * The posts of a device as far as its facts tell them: a watch that chooses among things has one for each that it
 * chooses, any other has one. A post that only a reading would tell (a certificate, a collector) is added where it has
 * a state.
 * @param known keys of posts that have a state
 */
export function postsOf(roster: readonly WatchInForce[], facts: Facts, known: Iterable<string> = []): string[] {
  const posts = new Set<string>()
  const active = new Map(roster.filter((watch) => watch.standing === 'active').map((watch) => [watch.key, watch]))
  for (const watch of active.values()) {
    const { choosing } = watchKind(watch.kind)
    if (!choosing) posts.add(postKey(watch.key, ''))
    else
      for (const choice of tryChoice(choosing, withoutNamed(watch, roster), facts))
        if (choice.in) posts.add(postKey(watch.key, choice.name))
  }
  for (const key of known) {
    const { watch, instance } = splitPostKey(key)
    if (!active.has(watch)) continue
    if (instance !== '') posts.delete(postKey(watch, ''))
    posts.add(key)
  }
  return [...posts]
}
