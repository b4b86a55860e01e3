export type { AtaDrive } from './ataDrive'
export {
  debianOf,
  ensureBase,
  answeringPackages,
  eximPackages,
  measuringPackages,
  postfixPackages,
  protectingPackages,
  releases,
  rpmPackages,
  serverPackages,
  type Release,
} from './base'
export { RealHost } from './host'
export { Lan, removeLeftLans } from './lan'
export { whyNoRealHosts } from './place'
