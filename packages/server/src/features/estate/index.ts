export { lifecycleRoutes } from './lifecycle'
export { estateRoutes, needDevice } from './routes'
export { allTraits, traitsOf, type TraitsRow } from './traits'
