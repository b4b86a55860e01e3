import { countersTimer } from './counters'
import { drivesTimer } from './drives'
import { packagesTimer } from './packages'
import { protectionTimer } from './protection'
import type { RootTimer } from './rootTimer'

export { rootTimerPlace, type RootTimer } from './rootTimer'

export const rootTimers: readonly RootTimer[] = [drivesTimer, packagesTimer, protectionTimer, countersTimer]
