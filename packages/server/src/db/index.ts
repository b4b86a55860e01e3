export { readAsOf, tookTooLong } from './asOf'
export { copyOut } from './copyOut'
export { migrate } from './migrate'
export {
  ensurePartitions,
  lockPartitions,
  makePartitions,
  oldestKept,
  oldestReport,
  ownKeys,
  partitionsOf,
  type Partition,
} from './partitions'
export { refusedByDatabase } from './refusal'
export { firstRow, inTransaction, openPool, rows, time, whenCommitted, type Db, type Pool } from './pool'
