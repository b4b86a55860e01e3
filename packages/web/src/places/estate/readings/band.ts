import type { ChartDataset } from 'chart.js'
import type { SeriesView } from '#contract'
import type { Millis } from '#core'
import type { UsualAtMoment } from '../../../parts/data/usualAt'

type Spot = { x: number; y: number }

/**
 * A series as a chart draws it: the mean as a line, within a band from the least to the greatest of each span, so that
 * no peak is smoothed away however long the time is.
 */
export function bandOf(
  { points }: Pick<SeriesView, 'points'>,
  label: string,
  colour: string,
  spanGaps: number,
): ChartDataset<'line', Spot[]>[] {
  const spots = (of: 'min' | 'mean' | 'max') => points.map((point): Spot => ({ x: point.at, y: point[of] }))
  const edge = { borderColor: colour, borderWidth: 0.6, pointRadius: 0, spanGaps }
  return [
    { ...edge, label, data: spots('mean'), borderWidth: 1.4, backgroundColor: 'transparent' },
    {
      ...edge,
      label: `${label}, most`,
      data: spots('max'),
      fill: '+1',
      backgroundColor: `color-mix(in srgb, ${colour} 18%, transparent)`,
    },
    { ...edge, label: `${label}, least`, data: spots('min'), fill: false, backgroundColor: 'transparent' },
  ]
}

/** What is usual at the moments of a series: a dashed line, and how far from it is as usual. */
export function usualBandOf(
  { points }: Pick<SeriesView, 'points'>,
  usualAt: (at: Millis) => UsualAtMoment | null,
  colour: string,
  spanGaps: number,
): ChartDataset<'line', Spot[]>[] {
  const known = points.map(({ at }) => ({ at, usual: usualAt(at) }))
  const spots = (of: keyof UsualAtMoment) => known.map(({ at, usual }): Spot => ({ x: at, y: usual?.[of] ?? NaN }))
  const edge = { borderColor: colour, borderWidth: 0, pointRadius: 0, spanGaps }
  return [
    {
      ...edge,
      label: 'Usual',
      data: spots('middle'),
      borderWidth: 1.2,
      borderDash: [5, 4],
      backgroundColor: 'transparent',
    },
    {
      ...edge,
      label: 'Usual, at most',
      data: spots('high'),
      fill: '+1',
      backgroundColor: `color-mix(in srgb, ${colour} 16%, transparent)`,
    },
    { ...edge, label: 'Usual, at least', data: spots('low'), fill: false, backgroundColor: 'transparent' },
  ]
}
