export { run } from './run'
export { Spool, startCounting } from './spool'
