export { restartsBetween, updatesBetween, windowsBetween, type WindowThen } from './happened'
export { seriesRoutes } from './routes'
