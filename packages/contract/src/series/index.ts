import type { Millis, Point, SeriesLevel, Summary } from '#core'

export interface SeriesView {
  metric: string
  instance: string
  points: Point[]
  summary: Summary | null
}
export interface SeriesPage {
  from: Millis
  until: Millis
  /** Of a point. */
  width: Millis
  level: SeriesLevel
  series: SeriesView[]
}
