export { rolloutJobs } from './jobs'
export { commandCompletion, rolloutRoutes } from './routes'
export { serveReleases, Releases } from './updates/releases'
