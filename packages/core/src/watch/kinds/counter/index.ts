import type { WatchKind } from '../../kind'
import { counterLevels } from './level'
import { programCounters } from './program'

export { countersOf } from './level'
export { counterLines, countersAsked, isInstalled } from './program'

/** What programs of a machine count, read from them, and watched. */
export const counterKinds: readonly WatchKind[] = [programCounters, ...counterLevels]
