import {
  logLevels,
  seriesLevels,
  severities,
  type BusyProcess,
  type LogLevel,
  type Point,
  type RhythmCell,
  type RhythmMoment,
  type StandingOut,
  type Summary,
} from '#core'
import Joi from 'joi'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import type {
  ChangedPage,
  ChangedSeries,
  EstateSeries,
  EstateSeriesRow,
  FillingDisk,
  FillingDisks,
  HistoryLoad,
  LevelStep,
  LogThen,
  MarkedAlert,
  MarkedWindow,
  ProcessesPage,
  ReadingsPart,
  RhythmHours,
  RhythmPage,
  SeriesMarks,
  AwayReadings,
  SeriesPage,
  SeriesThen,
  SeriesView,
} from './index'

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
  away: answerOf<AwayReadings>({
    server: Joi.string().description('As the database calls the server that does not answer.'),
    before: instant.description('Of before this time nothing is shown.'),
  }).allow(null),
})

const severity = Joi.string().valid(...severities)
const windows = listOf(answerOf<MarkedWindow>({ id, name: words, from: instant, until: instant.allow(null) }))
export const seriesMarksSchema = answerOf<SeriesMarks>({
  levels: listOf(answerOf<LevelStep>({ severity, value: figure, from: instant, until: instant, name: words })),
  levelsFrom: instant.allow(null),
  alerts: listOf(
    answerOf<MarkedAlert>({
      id,
      severity,
      from: instant,
      until: instant.allow(null),
      text: words,
      isOfSeries: Joi.boolean(),
    }),
  ),
  moreAlerts: count,
  windows,
  restarts: listOf(instant),
  updates: listOf(answerOf<SeriesMarks['updates'][number]>({ at: instant, names: listOf(words) })),
})

const cell = Joi.number().integer().min(0).max(168)
const share = Joi.number().min(0).max(1)
export const rhythmPageSchema = answerOf<RhythmPage>({
  zone: words,
  from: instant,
  until: instant,
  isScarce: Joi.boolean(),
  beyond: figure.allow(null),
  cells: listOf(
    answerOf<RhythmCell>({
      cell: cell.description('Hour of the week, from Monday 00:00 on the clocks of the site.'),
      weeks: count,
      median: figure,
      p95: figure.description('The 95th percentile; of what is scarce the 5th.'),
      beyond: share.allow(null),
    }),
  ),
  moments: listOf(
    answerOf<RhythmMoment>({
      cell,
      week: Joi.number().integer().description('Its Monday, in days since 1970.'),
      from: instant,
      until: instant,
      count,
      min: figure,
      mean: figure,
      max: figure,
    }),
  ),
  standingOut: listOf(
    answerOf<StandingOut>({ from: cell, until: cell, median: figure, elsewhere: figure, times: figure }),
  ),
})
export const rhythmHoursSchema = answerOf<RhythmHours>({
  moments: listOf(
    answerOf<RhythmHours['moments'][number]>({ from: instant, until: instant, min: figure, mean: figure, max: figure }),
  ),
  series: listOf(
    answerOf<SeriesThen>({ metric: words, instance: words, there: figure, elsewhere: figure, times: figure }),
  ),
  log: listOf(
    answerOf<LogThen>({
      source: words,
      level: Joi.string<LogLevel>().valid(...logLevels),
      there: count,
      moments: count,
      total: count,
      text: words,
      at: instant,
    }),
  ),
  windows,
})

export const changedPageSchema = answerOf<ChangedPage>({
  at: instant,
  from: instant,
  until: instant,
  changes: listOf(
    answerOf<ChangedSeries>({
      deviceId: id,
      deviceName: words,
      metric: words,
      instance: words,
      shift: figure.description('By so much it is more since: Hodges and Lehmann, 1963.'),
      level: figure.description('Cliff’s delta of the level, −1 to 1; from 0.474 on it counts as large.'),
      spread: figure.description('The same of how far hours lie from what is usual.'),
      before: figure,
      after: figure,
      times: figure,
    }),
  ),
  looked: count,
  unknown: count,
  devicesLeft: count,
})

export const readingsPartSchema = answerOf<ReadingsPart>({
  readings: listOf(answerOf<ReadingsPart['readings'][number]>({ at: instant, value: figure })),
  next: instant.allow(null),
})

export const historyLoadSchema = answerOf<HistoryLoad>({
  id,
  file: words,
  person: words,
  startedAt: instant,
  endedAt: instant.allow(null),
  isBrokenOff: Joi.boolean(),
  lines: count,
  taken: count,
  refused: count,
  devices: count,
  alerts: count.description('That there would have been; nobody is told of them.'),
  firstAt: instant.allow(null),
  lastAt: instant.allow(null),
  refusals: listOf(answerOf<HistoryLoad['refusals'][number]>({ line: count, reason: words })),
})
export const historyLoadsSchema = listOf(historyLoadSchema)

const seriesOfDevice = { deviceId: id, deviceName: words, clientName: words, siteName: words, instance: words }
export const estateSeriesSchema = answerOf<EstateSeries>({
  from: instant,
  until: instant,
  width: figure,
  isScarce: Joi.boolean(),
  total: count,
  isTotalMost: Joi.boolean().description(
    'There are so many at most: of those that are not told it was not worked out.',
  ),
  due: count.description('Devices whose days are still being summed up.'),
  rows: listOf(
    answerOf<EstateSeriesRow>({
      ...seriesOfDevice,
      last: figure.allow(null),
      min: figure,
      mean: figure,
      p95: figure.description('The 95th percentile; of what is scarce the 5th. Within one part in a hundred.'),
      isWorstCase: Joi.boolean().description('The percentile is this at the worst: its days are kept without it.'),
      max: figure,
      means: listOf(figure.allow(null)),
    }),
  ),
})
export const fillingDisksSchema = answerOf<FillingDisks>({
  looked: count,
  unknown: count,
  total: count,
  rows: listOf(
    answerOf<FillingDisk>({
      ...seriesOfDevice,
      size: figure.allow(null),
      free: figure,
      perDay: figure.description('By the median of the slopes between any two days: Sen, 1968.'),
      clearedEvery: figure.allow(null).description('Milliseconds from one clean-up to the next, at most.'),
      soonestAt: instant.description('With a confidence of 90 % not before: Gilbert, 1987, section 16.4.2.'),
      fullAt: instant,
      latestAt: instant.allow(null),
    }),
  ),
})

export const processesPageSchema = answerOf<ProcessesPage>({
  from: instant,
  until: instant,
  moments: count.description('Moments of which it is told what ran: busy ones, and one each quarter of an hour.'),
  took: figure.allow(null).description('CPU time of a look in the median, in milliseconds.'),
  processes: listOf(
    answerOf<BusyProcess>({
      name: words,
      cpu: figure.description('Share of all processors, the most at a moment.'),
      cpuAt: instant,
      cpuMean: figure.description('The mean over all moments that were told.'),
      memory: figure.description('Bytes of their own, the most at a moment.'),
      memoryAt: instant,
      count,
      moments: count,
    }),
  ),
  others: count,
})
