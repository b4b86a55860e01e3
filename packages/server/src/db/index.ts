export { migrate } from './migrate'
export { ensurePartitions } from './partitions'
export { firstRow, inTransaction, openPool, rows, time, whenCommitted, type Db, type Pool } from './pool'
