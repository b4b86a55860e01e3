import type { Bucket, Summary } from '#core'
import Joi from 'joi'
import { answerOf, count, instant, listOf, words } from '../answer'
import type { SeriesPage, SeriesView } from './index'

const figure = Joi.number()

const series = answerOf<SeriesView>({
  metric: words,
  instance: words,
  buckets: listOf(answerOf<Bucket>({ at: instant, min: figure, mean: figure, max: figure })),
  summary: answerOf<Summary>({ count, min: figure, mean: figure, max: figure, p95: figure }).allow(null),
})
export const seriesPageSchema = answerOf<SeriesPage>({
  from: instant,
  until: instant,
  width: figure.description('Of a bucket, in milliseconds.'),
  series: listOf(series),
})
