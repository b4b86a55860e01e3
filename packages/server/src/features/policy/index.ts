export { policyRoutes } from './routes'
export { policyInForce } from './store'
export { matching, readNames, targetText, type Names } from './words'
