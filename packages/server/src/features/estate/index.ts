export { lifecycleRoutes } from './lifecycle'
export { estateRoutes, needDevice } from './routes'
export { allTraits, traitColumns, traitsOf, type TraitsRow } from '../../store/traits'
