export { migrate } from './migrate'
export { ensurePartitions } from './partitions'
export { firstRow, inTransaction, openPool, rows, time, type Db, type Pool } from './pool'
