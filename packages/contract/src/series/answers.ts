import { seriesLevels, type Point, type Summary } from '#core'
import Joi from 'joi'
import { answerOf, count, instant, listOf, words } from '../answer'
import type { SeriesPage, SeriesView } from './index'

const figure = Joi.number()

const series = answerOf<SeriesView>({
  metric: words,
  instance: words,
  points: listOf(answerOf<Point>({ at: instant, min: figure, mean: figure, max: figure, count })),
  summary: answerOf<Summary>({
    count,
    min: figure,
    mean: figure,
    max: figure,
    p95: figure,
    p95Error: figure.description('By which part of itself the 95th percentile may be off at most.'),
    last: figure.allow(null),
  }).allow(null),
})
export const seriesPageSchema = answerOf<SeriesPage>({
  from: instant,
  until: instant,
  width: figure.description('Of a point, in milliseconds.'),
  level: Joi.string()
    .valid(...seriesLevels)
    .description('What the points were made of.'),
  series: listOf(series),
})
