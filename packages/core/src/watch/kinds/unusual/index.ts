import type { WatchKind } from '../../kind'
import { countersOf } from '../counter'
import { drives, interfaces } from '../performance'
import { unusual } from './unusual'

const performance = { collector: 'performance', direction: 'more' } as const
const drive = { ...performance, parts: drives } as const
const counter = { collector: 'counters', subject: 'counter', direction: 'either' } as const
const link = { collector: 'network', direction: 'more', parts: interfaces } as const

export const unusualKinds: readonly WatchKind[] = [
  unusual({
    ...performance,
    name: 'unusual-cpu',
    title: 'Unusual: CPU busy',
    metric: 'cpu.busy',
    words: 'the CPU busy',
  }),
  unusual({
    ...performance,
    name: 'unusual-memory',
    title: 'Unusual: memory available',
    metric: 'memory.available',
    words: 'memory available',
    direction: 'less',
  }),
  unusual({
    ...performance,
    name: 'unusual-load',
    title: 'Unusual: load per core',
    metric: 'load.5',
    words: 'the load per core',
  }),
  unusual({
    ...performance,
    name: 'unusual-paging',
    title: 'Unusual: swapping',
    metric: 'paging.out',
    words: 'swapping out',
  }),
  unusual({
    ...performance,
    name: 'unusual-open-files',
    title: 'Unusual: open files',
    metric: 'files.open',
    words: 'the number of open files',
  }),
  unusual({
    ...drive,
    name: 'unusual-latency',
    title: 'Unusual: drive latency',
    metric: 'io.latency',
    words: 'the latency',
  }),
  unusual({ ...drive, name: 'unusual-read', title: 'Unusual: read', metric: 'io.read', words: 'what is read' }),
  unusual({
    ...drive,
    name: 'unusual-written',
    title: 'Unusual: written',
    metric: 'io.written',
    words: 'what is written',
  }),
  unusual({
    ...link,
    name: 'unusual-received',
    title: 'Unusual: received',
    metric: 'net.received',
    words: 'what is received',
  }),
  unusual({ ...link, name: 'unusual-sent', title: 'Unusual: sent', metric: 'net.sent', words: 'what is sent' }),
  unusual({
    ...counter,
    name: 'unusual-counter',
    title: 'Unusual: level of a counter',
    metric: 'counter.number',
    words: 'the number',
    parts: countersOf('counter.number'),
  }),
  unusual({
    ...counter,
    name: 'unusual-counter-rate',
    title: 'Unusual: rate of a counter',
    metric: 'counter.rate',
    words: 'the rate',
    parts: countersOf('counter.rate'),
  }),
]

export { learningText, spreadsOf, unusualAsked, usualBand, type UnusualAsked, type UsualBand } from './unusual'
