export { handOutAgent } from './handOut'
export { defaultInterval, rolloutRoutes } from './routes'
