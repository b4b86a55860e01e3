export { announce, LiveHub } from './hub'
