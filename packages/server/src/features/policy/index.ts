export { isWithin, matching, readEstate, type Estate } from './names'
export { policyInForce, targetsOf } from './store'
export { policyRoutes } from './routes'
