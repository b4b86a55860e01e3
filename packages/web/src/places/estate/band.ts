import type { ChartDataset } from 'chart.js'
import type { SeriesView } from '#contract'

type Point = { x: number; y: number }

/**
 * A series as a chart draws it: the mean as a line, within a band from the least to the greatest of each span, so that
 * no peak is smoothed away however long the time is.
 */
export function bandOf(
  { buckets }: Pick<SeriesView, 'buckets'>,
  label: string,
  colour: string,
  spanGaps: number,
): ChartDataset<'line', Point[]>[] {
  const points = (of: 'min' | 'mean' | 'max') => buckets.map((bucket): Point => ({ x: bucket.at, y: bucket[of] }))
  const edge = { borderColor: colour, borderWidth: 0.6, pointRadius: 0, spanGaps }
  return [
    { ...edge, label, data: points('mean'), borderWidth: 1.4, backgroundColor: 'transparent' },
    {
      ...edge,
      label: `${label}, most`,
      data: points('max'),
      fill: '+1',
      backgroundColor: `color-mix(in srgb, ${colour} 18%, transparent)`,
    },
    { ...edge, label: `${label}, least`, data: points('min'), fill: false, backgroundColor: 'transparent' },
  ]
}
