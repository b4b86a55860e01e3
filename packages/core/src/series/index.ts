export {
  isMetric,
  metrics,
  readingFault,
  readingText,
  type Metric,
  type MetricName,
  type Reading,
  type Unit,
} from './metrics'
export { bucketise, quantile, summarise, type Bucket, type Sample, type Summary } from './summary'
