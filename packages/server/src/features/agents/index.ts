export { collectorPrograms, serveCollectors } from './collectorPrograms'
export { serveAgent } from './downloads'
export { agentRoutes } from './routes'
