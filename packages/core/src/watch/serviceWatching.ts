import type { Service } from '../estate'
import { chosen } from '../text'
import { withoutNamed } from './evaluate'
import type { WatchInForce } from './inForce'
import { read } from './kind'

/**
 * How a watch looks at one service: by its name; because it should be running; only for whether it fails, because it
 * may rest; or not at all, because a pattern leaves it out.
 */
export type ServiceWatching = 'should run' | 'should not run' | 'only failing' | 'left out'

const strongest: readonly ServiceWatching[] = ['should run', 'should not run', 'only failing', 'left out']

function watchingOf(service: Service, watch: WatchInForce, roster: readonly WatchInForce[]): ServiceWatching | null {
  const { values } = watch
  const names = read.list(values, 'names')
  if (read.text(values, 'which') === 'named') {
    if (!chosen(names, read.list(values, 'except'), service.name)) return null
    return read.text(values, 'expected') === 'running' ? 'should run' : 'should not run'
  }
  if (!chosen(names, [], service.name)) return null
  if (!chosen(names, read.list(values, 'except'), service.name)) return 'left out'
  // What another watch names is that watch's alone.
  if (!chosen(names, read.list(withoutNamed(watch, roster), 'except'), service.name)) return null
  return service.start === 'automatic' ? 'should run' : 'only failing'
}

/** The watch of a roster that has most to say about a service, and how it looks at it; null: none does. */
export function serviceWatching<Watch extends WatchInForce>(
  service: Service,
  roster: readonly Watch[],
): { watch: Watch; how: ServiceWatching } | null {
  const found = roster.flatMap((watch) => {
    if (watch.kind !== 'service-state' || watch.standing !== 'active') return []
    const how = watchingOf(service, watch, roster)
    return how ? [{ watch, how }] : []
  })
  return found.sort((a, b) => strongest.indexOf(a.how) - strongest.indexOf(b.how))[0] ?? null
}
