export { announce } from './announce'
export { LiveHub } from './hub'
