import type { Collect } from '../collectors'
import type { Prober } from './prober'

export { Prober } from './prober'
export { Telling } from './telling'

/** How quickly other devices answered, as readings of this one. */
export const probesCollector = (prober: Prober): Collect => ({
  name: 'probes',
  collect: () => ({ readings: prober.readings() }),
})
