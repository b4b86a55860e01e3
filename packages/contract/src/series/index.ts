import type { Bucket, Millis, Summary } from '#core'

export interface SeriesView {
  metric: string
  instance: string
  buckets: Bucket[]
  summary: Summary | null
}
export interface SeriesPage {
  from: Millis
  until: Millis
  width: Millis
  series: SeriesView[]
}
