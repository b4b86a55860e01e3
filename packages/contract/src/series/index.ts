import type {
  AtThatTime,
  BusyProcess,
  LogLevel,
  Millis,
  Point,
  Rhythm,
  SeriesChange,
  SeriesLevel,
  Severity,
  Summary,
} from '#core'

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
  /** What is missing because the server that it lies on does not answer; null: nothing is. */
  away: AwayReadings | null
}
/** Readings of before a time, on another database server that does not answer. */
export interface AwayReadings {
  server: string
  before: Millis
}

/** A level that a watch gave a series for a time. */
export interface LevelStep {
  severity: Severity
  /** In the unit of the metric. */
  value: number
  from: Millis
  until: Millis
  /** What the watch is called. */
  name: string
}
export interface MarkedAlert {
  id: number
  severity: Severity
  /** When it began to fail, and when it was closed; null: it is open. */
  from: Millis
  until: Millis | null
  text: string
  /** It is about this very series. */
  isOfSeries: boolean
}
export interface MarkedWindow {
  id: number
  name: string
  from: Millis
  /** null: it has no end. */
  until: Millis | null
}
/** What to draw on the chart of a series, beside its readings. */
export interface SeriesMarks {
  levels: LevelStep[]
  /** The policy was changed so often that the levels are only told from here on; null: over all of the time. */
  levelsFrom: Millis | null
  alerts: MarkedAlert[]
  /** So many more there are, which are less near to the series. */
  moreAlerts: number
  windows: MarkedWindow[]
  restarts: Millis[]
  updates: { at: Millis; names: string[] }[]
}

/** When in a week a series is how, on the clocks of its site. */
export interface RhythmPage extends Rhythm {
  zone: string
  from: Millis
  until: Millis
  /** Less of it is worse. */
  isScarce: boolean
  /** The value of which `beyond` tells the share; null: none. */
  beyond: number | null
}

export interface SeriesThen extends AtThatTime {
  metric: string
  instance: string
}
/** A source of log entries that wrote more in certain hours than else. */
export interface LogThen {
  source: string
  level: LogLevel
  /** Entries in those hours, in how many of their moments, and of all weeks. */
  there: number
  moments: number
  total: number
  /** The newest in those hours. */
  text: string
  at: Millis
}
/** What else was so in certain hours of the week. */
export interface RhythmHours {
  moments: { from: Millis; until: Millis; min: number; mean: number; max: number }[]
  series: SeriesThen[]
  log: LogThen[]
  windows: MarkedWindow[]
}

export interface ChangedSeries extends SeriesChange {
  deviceId: number
  deviceName: string
  metric: string
  instance: string
}
/** What is different since a moment, the most first. */
export interface ChangedPage {
  at: Millis
  /** From when to when hours were compared. */
  from: Millis
  until: Millis
  changes: ChangedSeries[]
  /** Series that were looked at, and those of which too little is known on one side. */
  looked: number
  unknown: number
  /** Devices of the site that were left out because there are too many. */
  devicesLeft: number
}

/** Readings of a series, the newest first. */
export interface ReadingsPart {
  readings: { at: Millis; value: number }[]
  /** Ask for those before this time; null: there are no more. */
  next: Millis | null
}

/** A file of readings from before a device was watched. */
export interface HistoryLoad {
  id: number
  file: string
  /** Who brought it. */
  person: string
  startedAt: Millis
  /** null: it is being read, or was broken off. */
  endedAt: Millis | null
  isBrokenOff: boolean
  lines: number
  taken: number
  refused: number
  devices: number
  /** That there would have been; nobody is told of them. */
  alerts: number
  firstAt: Millis | null
  lastAt: Millis | null
  /** The first thousand of those that were refused. */
  refusals: { line: number; reason: string }[]
}

interface SeriesOfDevice {
  deviceId: number
  deviceName: string
  clientName: string
  siteName: string
  instance: string
}
export const estateSeriesOrders = ['last', 'mean', 'p95'] as const
export type EstateSeriesOrder = (typeof estateSeriesOrders)[number]
export interface EstateSeriesRow extends SeriesOfDevice {
  /** The newest reading; null: none of the last report. */
  last: number | null
  min: number
  mean: number
  p95: number
  /** The days are kept without their percentiles: it is this at the worst. */
  isWorstCase: boolean
  max: number
  /** Mean of each span of the time, the oldest first; null: nothing was read. */
  means: (number | null)[]
}
/** One series of many devices over days that are over, the worst first. */
export interface EstateSeries {
  from: Millis
  until: Millis
  /** Of one of the means. */
  width: Millis
  /** Less of it is worse. */
  isScarce: boolean
  /** How many there are, of which so many are told. */
  total: number
  /** There are so many at most: of those that are not told it was not worked out. */
  isTotalMost: boolean
  /** Devices whose days are still being summed up, after an upgrade. */
  due: number
  rows: EstateSeriesRow[]
}

export interface FillingDisk extends SeriesOfDevice {
  size: number | null
  free: number
  /** Change of what is free in a day. */
  perDay: number
  /** The longest time from one clean-up to the next; null: nobody clears it up again and again. */
  clearedEvery: Millis | null
  /** Between soonest and latest with a confidence of 90 %. */
  soonestAt: Millis
  fullAt: Millis
  /** Null: more than 400 days from now. */
  latestAt: Millis | null
}
/** Disks that fill at their pace of the last weeks, the soonest first. */
export interface FillingDisks {
  looked: number
  /** Of which too few days are known. */
  unknown: number
  total: number
  rows: FillingDisk[]
}

/** What used a device most over a time. */
export interface ProcessesPage {
  /** From when on it is told: of a long time, of its newest moments alone. */
  from: Millis
  until: Millis
  /** So many moments were told. */
  moments: number
  /** CPU time of a look at all processes in the median, in milliseconds; null: there was none. */
  took: number | null
  /** The most CPU over all moments first. */
  processes: BusyProcess[]
  /** So many more stood at the top at some moment. */
  others: number
}
