export { collectorPrograms, handOutCollectors } from './collectorPrograms'
export { handOutAgent } from './handOut'
export { defaultInterval, rolloutRoutes } from './routes'
export { openSigner } from './signer'
