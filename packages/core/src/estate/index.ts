export * from './facts'
export { specificity, targets, type DeviceTraits, type Target, type TargetClass } from './target'
