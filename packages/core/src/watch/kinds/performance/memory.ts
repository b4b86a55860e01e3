import { minute } from '../../../units'
import { gauge } from './gauge'

export const memoryAvailable = gauge({
  name: 'memory-available',
  title: 'Memory available',
  metric: 'memory.available',
  shareOf: 'memory.size',
  words: 'memory available',
  type: 'percent',
  bad: 'below',
  levels: { warning: 0.08, critical: 0.03 },
  clear: 0.12,
  hold: 10 * minute,
  explains: 'What programs can still get without swapping, as a share of all memory.',
})

export const pagingOut = gauge({
  name: 'paging',
  title: 'Swapping',
  metric: 'paging.out',
  words: 'swapping out',
  type: 'bytes',
  unitWords: ' a second',
  bad: 'above',
  levels: { warning: 5e6, critical: 50e6 },
  clear: 1e6,
  hold: 10 * minute,
  explains: 'Bytes a second written to swap; a machine that swaps steadily is slow at once.',
})

export const openFiles = gauge({
  name: 'open-files',
  title: 'Open files',
  metric: 'files.open',
  words: 'the number of open files',
  type: 'number',
  bad: 'above',
  levels: { warning: 100_000 },
  clear: 80_000,
  hold: 15 * minute,
  explains:
    'Files, sockets and pipes that all programs hold open together. Chosen, no source: a program that forgets to close grows past it in time. Only Linux tells.',
})
