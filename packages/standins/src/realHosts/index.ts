export { debianOf, ensureBase, releases, serverPackages, type Release } from './base'
export { RealHost } from './host'
export { Lan, removeLeftLans } from './lan'
export { whyNoRealHosts } from './place'
