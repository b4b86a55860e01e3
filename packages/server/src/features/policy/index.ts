export { isForeign, isWithin, matching, readEstate, type Estate } from './names'
export { policyInForce, targetsOf } from '../../store/policy'
export { requireReach } from './reach'
export { policyRoutes } from './routes'
