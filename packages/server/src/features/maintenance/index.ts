export { maintenanceRoutes } from './routes'
