export { defaultInterval, rolloutRoutes } from './routes'
