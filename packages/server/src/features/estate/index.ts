export { lifecycleRoutes, retireDevice } from './lifecycle'
export { estateRoutes, requireDevice, requireDevices } from './routes'
export { allTraits, traitColumns, traitsOf, type TraitsRow } from '../../store/traits'
