export { isWithin, matching, readEstate, type Estate } from './names'
export { policyInForce, targetsOf } from '../../store/policy'
export { policyRoutes } from './routes'
