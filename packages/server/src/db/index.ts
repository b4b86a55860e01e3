export { migrate } from './migrate'
export { ensurePartitions, oldestKept } from './partitions'
export { refusedByDatabase } from './refusal'
export { firstRow, inTransaction, openPool, rows, time, whenCommitted, type Db, type Pool } from './pool'
