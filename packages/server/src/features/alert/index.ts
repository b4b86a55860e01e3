export { alertJobs } from './act'
export { alertRoutes } from './routes'
export { heldSelect, type HeldRow } from './views'
