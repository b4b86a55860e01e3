export { seriesRoutes } from './routes'
