export { policyInForce } from './store'
export { policyRoutes } from './routes'
export { matching, readNames, targetText, type Names } from './words'
