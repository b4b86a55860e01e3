import { expect, it } from 'vitest'
import { chartsOf, seriesTitle } from './subjects'

it('series that are read together share a chart; what programs count, program by program', () => {
  const named = (metric: string, instance: string) => ({ metric, instance })
  const charts = chartsOf([
    named('counter.rate', 'nginx: requests'),
    named('counter.number', 'postgresql: active'),
    named('counter.number', 'nginx: connections'),
    named('counter.number', 'nginx: waiting'),
    named('net.sent', 'eth0'),
    named('net.received', 'eth0'),
  ])
  expect(charts.map(({ title, series }) => [title, series.map(seriesTitle)])).toEqual([
    ['Network', ['Sent eth0', 'Received eth0']],
    ['Counters of postgresql', ['postgresql: active']],
    ['Counters of nginx', ['nginx: connections', 'nginx: waiting']],
    ['Rates of nginx', ['nginx: requests']],
  ])
})
