export { rolloutJobs } from './jobs'
export { orderCompletion, rolloutRoutes } from './routes'
export { handOutReleases, Releases } from './updates/releases'
