export { builtInKey, ReleaseTrust } from './trust'
