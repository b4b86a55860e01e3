export { collectorPrograms, handOutCollectors } from './collectorPrograms'
export { handOutAgent } from './downloads'
export { agentRoutes } from './routes'
