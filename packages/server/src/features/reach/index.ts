export { reachRoutes } from './routes'
